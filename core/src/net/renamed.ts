/**
 * What a host makes of its name where another one has it already. The common responder of multicast DNS counts a
 * number at the end up where a hyphen stands before it, and begins one otherwise; a number that begins with 0 is no
 * number to it (seen with version 0.8: `node-5` became `node-6`, `lab05` became `lab05-2`, `rig-05` became `rig-05-2`).
 */
export function nextName(name: string): string {
  const [, stem, digits] = /^(.*)-([1-9]\d{0,8})$/.exec(name) ?? [];
  return stem && digits ? `${stem}-${String(Number(digits) + 1)}` : `${name}-2`;
}

/** Most steps by which a name is followed. */
const STEPS = 50;

/** Whether a host that was named `given` may call itself `said` after others had its name. */
export function isCountedUp(given: string, said: string): boolean {
  let name = given.toLowerCase();
  const wanted = said.toLowerCase();
  for (let step = 0; step < STEPS; step++) {
    name = nextName(name);
    if (name === wanted) return true;
    if (name.length > wanted.length) return false;
  }
  return false;
}
