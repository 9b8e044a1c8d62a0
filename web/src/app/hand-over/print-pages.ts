/**
 * Opens the print dialog with drawn pages and nothing else, each on a sheet of its own size.
 * @param pages drawings as they stand on the screen; they are copied
 * @param size of the paper, in mm
 */
export function printPages(pages: readonly SVGElement[], size: { width: number; height: number }): void {
  const place = document.createElement('div');
  place.className = 'paper-sheets';
  for (const page of pages) {
    const copy = page.cloneNode(true) as SVGElement;
    for (const outline of copy.querySelectorAll('.place')) outline.remove();
    place.append(copy);
  }
  const paper = document.createElement('style');
  paper.textContent = `@page { size: ${String(size.width)}mm ${String(size.height)}mm; margin: 0; }`;
  document.head.append(paper);
  document.body.append(place);
  document.body.classList.add('prints-papers');
  const tidy = (): void => {
    place.remove();
    paper.remove();
    document.body.classList.remove('prints-papers');
  };
  window.addEventListener('afterprint', tidy, { once: true });
  window.print();
}
