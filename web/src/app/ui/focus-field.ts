import { wantRow } from './rows-in-view';

/** Id of the control for a place in the plan, as findings name it, of a device or network if it is one's. */
export const fieldId = (place: string, ownerId?: string): string =>
  `f-${place}${ownerId === undefined ? '' : `-${ownerId}`}`;

/** Brings the first control that is on the page into view and gives it the focus, once the page has drawn it. */
export function focusId(...ids: string[]): void {
  const look = (left: number): void => {
    const field = ids.map((id) => document.getElementById(id)).find((found) => found !== null);
    if (field) {
      // A field may lie in a part that is folded.
      for (let part = field.parentElement; part; part = part.parentElement)
        if (part instanceof HTMLDetailsElement) part.open = true;
      field.scrollIntoView({ block: 'center' });
      field.focus();
    } else if (left > 0) setTimeout(() => look(left - 1), 50);
  };
  look(20);
}

/** Goes to the control of a finding, also of one in a row of a long table that is not drawn yet. */
export function focusField(place: string, ownerId?: string): void {
  if (ownerId !== undefined) setTimeout(() => wantRow(ownerId));
  focusId(fieldId(place, ownerId), fieldId(place));
}
