/**
 * Work that many ask for at the same time: it is done once for all of them, and not more often than is of use.
 * @param every milliseconds between two times that it begins
 */
export function together(every: number, work: () => Promise<void>): () => Promise<void> {
  let begun = 0;
  let going: Promise<void> = Promise.resolve();
  return () => {
    if (Date.now() - begun >= every) {
      begun = Date.now();
      going = work();
    }
    return going;
  };
}
