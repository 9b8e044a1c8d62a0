import type { Device } from '@nest-mark/core';

/** A label for a card: large enough to be read in the hand, small enough for a sleeve. */
function labelOf({ nest, mark, hostName, role }: Device): HTMLElement {
  const label = document.createElement('div');
  label.className = 'card-label';
  const part = (name: string, text: string): void => {
    const element = document.createElement('div');
    element.className = name;
    element.textContent = text;
    label.append(element);
  };
  part('nest', nest);
  part('mark mono', mark);
  part('name', hostName);
  part('role', role);
  return label;
}

/** Opens the print dialog with one device's label and nothing else on the page. */
export function printLabel(device: Device): void {
  const place = document.createElement('div');
  place.className = 'label-sheet';
  place.append(labelOf(device));
  document.body.append(place);
  document.body.classList.add('prints-label');
  const tidy = (): void => {
    place.remove();
    document.body.classList.remove('prints-label');
  };
  window.addEventListener('afterprint', tidy, { once: true });
  window.print();
}
