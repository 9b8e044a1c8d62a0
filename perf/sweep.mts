import { setTimeout as pause } from 'node:timers/promises';
import { subnetHosts } from '@nest-mark/core';
import { probeTcp, sweep } from '@nest-mark/station';
import { NetworkLab } from '../station/test/helpers/lab';
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

const BOARDS = 6;

/** Seconds and boards found of one search, made on a network where nearly every address is nobody's. */
async function searched(lab: NetworkLab, subnet: string): Promise<{ took: number; found: number }> {
  const child = lab.work('node_modules/.bin/tsx', ['perf/sweep-child.mts', subnet]);
  let text = '';
  child.stdout?.setEncoding('utf8').on('data', (part: string) => (text += part));
  await new Promise((resolve) => child.once('exit', resolve));
  return JSON.parse(text) as { took: number; found: number };
}

/** A /24 and a /20 with six boards in network namespaces, where an address that nobody has gives no answer at all. */
export async function searchDead(): Promise<Result[]> {
  if (!NetworkLab.possible())
    return [{ what: 'search of a network with dead addresses', figure: 'not here: needs root', bound: '' }];
  const lab = new NetworkLab();
  try {
    lab.serveAddresses();
    for (let at = 1; at <= BOARDS; at++) lab.power(at, `tank0${String(at)}`);
    for (let tries = 0; lab.leases() < BOARDS && tries < 100; tries++) await pause(200);
    await pause(1000);
    const small = await searched(lab, '10.98.7.0/24');
    lab.inside('ws', 'ip', 'addr', 'add', '10.98.7.2/20', 'dev', 'eth0');
    const large = await searched(lab, '10.98.0.0/20');
    const line = (what: string, { took, found }: typeof small, bound: string): Result => ({
      what: `${what}, ${String(BOARDS)} alive: ${String(found)} found`,
      figure: seconds(took),
      bound,
    });
    return [
      line('search of a /24 of dead addresses', small, 'under 2 s'),
      line('search of a /20 of dead addresses', large, 'under 15 s'),
    ];
  } finally {
    await lab.end();
  }
}
