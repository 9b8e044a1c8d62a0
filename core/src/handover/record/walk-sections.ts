import { boardsWith, type Walked } from '../../signal/verdict';
import { shownLevel } from '../../wifi/signal';
import { moment, type Section } from './document';

/**
 * How strongly networks were heard at places, and what that means for the boards; nothing where nobody walked.
 * @param all how many boards there are
 */
export function walkSections(walk: readonly Walked[], all: number): Section[] {
  if (walk.length === 0) return [];
  return [
    {
      level: 1,
      title: 'Signal where the boards will be',
      parts: [
        {
          kind: 'table',
          columns: ['Place', 'Network', 'Band', 'Signal', 'By', 'When'],
          rows: walk.flatMap(({ place, spots }) =>
            spots.map(({ latest: { network, band, dbm, about, sensorName, at } }) => [
              place,
              network,
              band,
              shownLevel(dbm, about),
              sensorName,
              moment(at),
            ]),
          ),
        },
        {
          kind: 'table',
          columns: ['Place', 'Boards', 'What they can expect'],
          rows: walk.flatMap(({ place, expectations }) =>
            expectations.map((one) => [place, boardsWith(one, all), one.text]),
          ),
        },
      ],
    },
  ];
}
