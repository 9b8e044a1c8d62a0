import { subnetHosts } from '@nest-mark/core';
import { sweep } from '@nest-mark/station';

/** Searches a subnet of the network that it was started in, and prints how long that took and who signed. */
const [subnet = ''] = process.argv.slice(2);
const signed = new Set<string>();
const begun = performance.now();
await sweep(subnetHosts(subnet), 22, {
  onHit: ({ key }) => {
    if (key?.proven) signed.add(key.hostKey);
  },
});
process.stdout.write(JSON.stringify({ took: performance.now() - begun, found: signed.size }));
