import {
  coloursOf,
  drawLabel,
  labelPlaces,
  labelSizeFaults,
  moved,
  type LabelsWanted,
  type Page,
  type Paper,
  type Plan,
} from '@nest-mark/core';
import { problem } from '../platform/http/problems';
import { inked } from './paper/inked';
import { lettersMissing, measure } from './paper/type';

/** Places of the tray in the order in which one walks along it. */
const byNest = new Intl.Collator('en', { numeric: true });

/**
 * Draws the labels of a batch onto pages.
 * @throws Problem when the size holds nothing
 */
export function labelPages(batchId: string, plan: Plan, wanted: LabelsWanted): Paper {
  const faults = labelSizeFaults(wanted.size);
  if (faults.length > 0) throw problem('label-size', { faults: faults.join(' ') });
  const colours = coloursOf(plan);
  const devices = plan.devices
    .filter(({ id }) => wanted.deviceIds === null || wanted.deviceIds.includes(id))
    .sort((one, other) => byNest.compare(one.nest, other.nest));
  const { label, page } = wanted.size;
  const asked = devices.flatMap((device) => wanted.what.map((what) => ({ device, what })));
  const places = labelPlaces(wanted.size, asked.length, wanted.firstFree);
  const pages: Page[] = [];
  // A remark that is the same for many is said once, with whose it is.
  const remarks = new Map<string, Set<string>>();
  const remark = (text: string, name: string): void => {
    remarks.set(text, (remarks.get(text) ?? new Set()).add(name));
  };
  asked.forEach(({ device, what }, at) => {
    const place = places[at];
    if (!place) return;
    pages[place.page] ??= { width: page.width, height: page.height, drawn: [] };
    const code =
      wanted.code === 'none'
        ? ''
        : wanted.code === 'mark' || wanted.origin === null
          ? device.mark
          : `${wanted.origin.replace(/\/+$/, '')}/batch/${batchId}/device/${device.id}`;
    const drawing = drawLabel(
      label,
      {
        what,
        mark: device.mark,
        hostName: device.hostName,
        nest: device.nest,
        title: device.role.trim() || plan.name,
        colour: colours.get(device.id) ?? null,
        code,
      },
      measure,
    );
    if (!drawing)
      throw problem('label-size', {
        faults: `A label of ${String(label.width)} × ${String(label.height)} mm does not hold the mark ${device.mark} so that it can be read.`,
      });
    for (const text of drawing.remarks) remark(text, device.hostName);
    pages[place.page]?.drawn.push(...moved(inked(drawing.drawn), place.x, place.y));
  });
  const nobodys = devices.filter(({ id }) => !colours.has(id)).length;
  return {
    // Page by page there is always one, since labels follow each other without a gap.
    pages,
    remarks: [
      ...[...remarks].map(([text, names]) =>
        names.size > 1 ? `${text} So it is on ${String(names.size)} devices.` : text,
      ),
      ...(colours.size > 0 && nobodys > 0
        ? [
            `${String(nobodys)} ${nobodys === 1 ? 'device has' : 'devices have'} no colour: twelve stay apart, more would not.`,
          ]
        : []),
    ],
  };
}

/** @throws Problem when the shipped type lacks letters of what is on the pages */
export function needLetters(pages: readonly Page[]): void {
  for (const { drawn } of pages)
    for (const one of drawn) {
      if (one.kind !== 'text') continue;
      const letters = lettersMissing(one.text, one.face);
      if (letters !== '')
        throw problem('letters-missing', { letters: letters.slice(0, 12), whom: `“${one.text}”` });
    }
}
