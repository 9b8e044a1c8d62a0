/** Id of the control for a place in the plan, as findings name it. */
export const fieldId = (place: string, deviceId?: string): string =>
  `f-${place}${deviceId === undefined ? '' : `-${deviceId}`}`;

/** Brings the control of a finding into view and gives it the focus, once the page has drawn it. */
export function focusField(place: string, deviceId?: string): void {
  const look = (left: number): void => {
    const field =
      document.getElementById(fieldId(place, deviceId)) ?? document.getElementById(fieldId(place));
    if (field) {
      field.scrollIntoView({ block: 'center' });
      field.focus();
    } else if (left > 0) setTimeout(() => look(left - 1), 50);
  };
  look(20);
}
