import { bothSizes } from '../units';
import { isCountry } from '../wifi/countries';
import { zoneInCountry } from '../wifi/zone-country';
import type { Carried } from '../firstboot/carried';
import { isTimeZone } from '../plan/time-zone';
import { findBoard } from '../boards/profiles';
import { carriesOf, imageOf } from './of-image';
import { perVariant, type Hit, type Rule, type RuleView } from './rule';

/** Whether the first-boot method of an image has no place for something, so that nobody has to fill it in. */
const isLeftOut = (view: RuleView, imageId: string | null, what: Carried): boolean => {
  const image = imageOf(view, { imageId });
  return image !== null && !carriesOf(image).has(what);
};

const timeZone: Rule = {
  id: 'time-zone',
  title: 'The time zone is one of the IANA database',
  why: 'An unknown zone leaves the board on UTC, and its logs hours off.',
  source: 'IANA time zone database',
  check: (view) =>
    perVariant(view, ['timeZone', 'imageId'], ({ timeZone: zone, imageId }) =>
      isTimeZone(zone) || (zone === '' && isLeftOut(view, imageId, 'timeZone'))
        ? []
        : [
            {
              severity: 'stops',
              place: 'timeZone',
              message: zone ? `"${zone}" is not a time zone.` : 'The time zone is missing.',
              fix: 'Choose a zone such as Atlantic/Faroe; capitals count.',
            },
          ],
    ),
};

const timeZoneCountry: Rule = {
  id: 'time-zone-country',
  title: 'The time zone lies in the country where the boards will run',
  why: 'One of the two is often that of the workshop or of birth, and the country decides which channels the radio may use.',
  source: 'IANA time zone database (zone.tab), as the platform has it',
  check: (view) =>
    perVariant(view, ['timeZone', 'country'], ({ timeZone: zone, country }) =>
      isTimeZone(zone) && isCountry(country) && zoneInCountry(zone, country) === false
        ? [
            {
              severity: 'warns',
              place: 'timeZone',
              message: `${zone} is not a time zone of ${country}.`,
              fix: 'Look again at both: they are those of the place where the boards will run.',
            },
          ]
        : [],
    ),
};

const locale: Rule = {
  id: 'locale',
  title: 'The locale is written as language_COUNTRY.UTF-8',
  why: 'A locale that does not exist makes programs fall back to plain ASCII and print warnings at each login.',
  source: 'locale(7), POSIX.1-2017 section 8.2',
  check: (view) =>
    perVariant(view, ['locale', 'imageId'], ({ locale: name, imageId }) =>
      /^([a-z]{2,3}(_[A-Z]{2})?|C)\.UTF-8$/.test(name) || (name === '' && isLeftOut(view, imageId, 'locale'))
        ? []
        : [
            {
              severity: 'stops',
              place: 'locale',
              message: name ? `"${name}" is not a locale.` : 'The locale is missing.',
              fix: 'Write it as en_GB.UTF-8 or C.UTF-8.',
            },
          ],
    ),
};

const imageChosen: Rule = {
  id: 'image-chosen',
  title: 'An image is chosen that can take the settings',
  why: 'Without a first-boot method that the image reads, the board starts without name, login and network.',
  source: 'common practice',
  check: (view) =>
    perVariant(view, ['imageId'], ({ imageId }): Hit[] => {
      const image = view.images.find(({ id }) => id === imageId);
      if (!image)
        return [
          {
            severity: 'stops',
            place: 'imageId',
            message: imageId ? 'The chosen image is no longer on the shelf.' : 'No image is chosen.',
            fix: 'Choose one from the shelf; Images adds new ones.',
          },
        ];
      if (image.method !== 'none') return [];
      // Somebody who said so knows that these boards are set up by hand.
      return image.chosenMethod === 'none'
        ? [
            {
              severity: 'warns',
              place: 'imageId',
              message: `Nothing goes onto the cards of ${image.title}: each board is set up by hand.`,
              fix: 'The steps for each device are under "On the card", to be printed or copied.',
            },
          ]
        : [
            {
              severity: 'stops',
              place: 'imageId',
              message: `${image.title} shows no first-boot method that is known here.`,
              fix: 'Choose another image, or say under Images how this one takes its settings; "nothing on the card" is a choice as well.',
            },
          ];
    }),
};

const imageSize: Rule = {
  id: 'image-size',
  title: 'The image fits on the planned card',
  why: 'An image that is larger than the card is cut off and does not start; the writer would refuse it at the bench.',
  source: 'common practice; sellers count in decimal GB',
  check: (view) =>
    perVariant(view, ['imageId', 'boardProfileId'], ({ imageId, boardProfileId }) => {
      const image = view.images.find(({ id }) => id === imageId);
      const bytes = view.plan.kit.cardGB * 1e9;
      // Soldered flash has the size that it has; its profile does not tell.
      if (!image || findBoard(view.boards, boardProfileId)?.storage === 'emmc') return [];
      return image.rawSize > bytes
        ? [
            {
              severity: 'stops',
              place: 'kit.cardGB',
              message: `${image.title} needs ${bothSizes(image.rawSize)}; the planned cards have ${bothSizes(bytes)}.`,
              fix: 'Plan larger cards, or choose a smaller image.',
            },
          ]
        : [];
    }),
};

const imageWidth: Rule = {
  id: 'image-width',
  title: 'The board can run an image of this width',
  why: 'A 64 bit system does not start on a 32 bit board: no light, no network, no message.',
  source: 'common practice',
  check: (view) =>
    perVariant(view, ['imageId', 'boardProfileId'], ({ imageId, boardProfileId }) => {
      const image = view.images.find(({ id }) => id === imageId);
      const board = findBoard(view.boards, boardProfileId);
      return image && board && (image.wordBits ?? 0) > board.wordBits
        ? [
            {
              severity: 'stops',
              place: 'imageId',
              message: `${image.title} is ${String(image.wordBits)} bit, "${board.title}" runs ${String(board.wordBits)} bit.`,
              fix: 'Choose a 32 bit image, or another board.',
            },
          ]
        : [];
    }),
};

const boardKnown: Rule = {
  id: 'board-known',
  title: 'The board profile is on the shelf and tells what is needed',
  why: 'Bands, currents and times come from the profile; without it they cannot be checked.',
  source: 'common practice',
  check: (view) =>
    perVariant(view, ['boardProfileId'], ({ boardProfileId }): Hit[] => {
      const board = findBoard(view.boards, boardProfileId);
      if (!board)
        return [
          {
            severity: 'stops',
            place: 'boardProfileId',
            message: 'The board profile is no longer on the shelf.',
            fix: 'Choose another one; Boards adds new ones.',
          },
        ];
      const lacking = [
        ...(board.peakMilliamp === null ? ['its peak current'] : []),
        ...(board.supplyAmps === null ? ['the supply it asks for'] : []),
      ];
      return lacking.length === 0
        ? []
        : [
            {
              severity: 'note',
              place: 'boardProfileId',
              message: `"${board.title}" does not tell ${lacking.join(' and ')}, so its power cannot be checked.`,
              fix: 'Measure it once and type it in under Boards.',
            },
          ];
    }),
};

export const systemRules: readonly Rule[] = [
  imageChosen,
  imageSize,
  imageWidth,
  boardKnown,
  timeZone,
  timeZoneCountry,
  locale,
];
