import type { Rule } from './rule';

/** Whether a name is a time zone of the IANA database, written as there; the platform's copy is asked. */
export function isTimeZone(name: string): boolean {
  // Platforms take any case, boards do not.
  if (!/^[A-Z][A-Za-z0-9_+-]*(\/[A-Z][A-Za-z0-9_+-]*)*$/.test(name)) return false;
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
}

const timeZone: Rule = {
  id: 'time-zone',
  title: 'The time zone is one of the IANA database',
  why: 'An unknown zone leaves the board on UTC, and its logs hours off.',
  source: 'IANA time zone database',
  check: ({ plan }) =>
    isTimeZone(plan.timeZone)
      ? []
      : [
          {
            severity: 'stops',
            place: 'timeZone',
            message: plan.timeZone ? `"${plan.timeZone}" is not a time zone.` : 'The time zone is missing.',
            fix: 'Choose a zone such as Atlantic/Faroe; capitals count.',
          },
        ],
};

const locale: Rule = {
  id: 'locale',
  title: 'The locale is written as language_COUNTRY.UTF-8',
  why: 'A locale that does not exist makes programs fall back to plain ASCII and print warnings at each login.',
  source: 'locale(7), POSIX.1-2017 section 8.2',
  check: ({ plan }) =>
    /^([a-z]{2,3}(_[A-Z]{2})?|C)\.UTF-8$/.test(plan.locale)
      ? []
      : [
          {
            severity: 'stops',
            place: 'locale',
            message: plan.locale ? `"${plan.locale}" is not a locale.` : 'The locale is missing.',
            fix: 'Write it as en_GB.UTF-8 or C.UTF-8.',
          },
        ],
};

const imageChosen: Rule = {
  id: 'image-chosen',
  title: 'An image is chosen that can take the settings',
  why: 'Without a first-boot method that the image reads, the board starts without name, login and network.',
  source: 'common practice',
  check: ({ plan, image }) => {
    if (plan.imageId === null || !image)
      return [
        {
          severity: 'stops',
          place: 'imageId',
          message: plan.imageId ? 'The chosen image is no longer on the shelf.' : 'No image is chosen.',
          fix: 'Choose one from the shelf; Images adds new ones.',
        },
      ];
    if (image.method !== 'none') return [];
    return [
      {
        severity: 'stops',
        place: 'imageId',
        message: `${image.title} shows no first-boot method that is known here.`,
        fix: 'Choose an image that reads a declarative seed from its boot partition.',
      },
    ];
  },
};

export const systemRules: readonly Rule[] = [imageChosen, timeZone, locale];
