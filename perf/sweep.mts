import { subnetHosts } from '@nest-mark/core';
import { probeTcp, sweep } from '@nest-mark/station';
import { seconds, timed, type Result } from './measure.mjs';

/** A /24 of loopback on which every address refuses, against asking them one after the other. */
export async function scanRefused(): Promise<Result> {
  const hosts = subnetHosts('127.88.0.0/24');
  const port = 2299;
  const together = await timed(() => sweep(hosts, port));
  const single = await timed(async () => {
    for (const host of hosts) await probeTcp(host, port);
  });
  return {
    what: `search of a /24 where ${String(hosts.length)} addresses refuse`,
    figure: `${seconds(together)}; one by one ${seconds(single)}`,
    bound: '',
  };
}
