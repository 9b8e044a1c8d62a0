import { appendFileSync } from 'node:fs';
import { preSharedKey, toHex, utf8 } from '@nest-mark/core';
import {
  NMCLI_FIELDS,
  gathered,
  otherSecurity,
  readNmcliList,
  type TriedNetwork,
} from '@nest-mark/core/in-air';
import { linuxRadio } from '@nest-mark/station/radio';
import { execFileSync } from 'node:child_process';

/**
 * Runs in the emulated machine: asks the radio of this program what its arguments say, and writes one line of JSON for
 * each. `adapters`, `look NAME`, `nmcli NAME`, `try NAME SECURITY HIDDEN SSID PASSPHRASE`, and
 * `look-and-try` with the same words, which first looks what security is announced, as the server does.
 */

const never = new AbortController().signal;
const tell = (value: unknown): void => appendFileSync('/share/told', `${JSON.stringify(value)}\n`);

function network([security = '', hidden = '', ssid = '', passphrase = '']: string[]): TriedNetwork {
  const octets = utf8(ssid);
  return {
    ssidHex: toHex(octets),
    hidden: hidden === 'hidden',
    security: security as TriedNetwork['security'],
    key: security === 'open' ? '' : security === 'wpa3-sae' ? passphrase : preSharedKey(octets, passphrase),
    mhz: [],
  };
}

async function main([what = '', name = '', ...rest]: string[]): Promise<void> {
  if (what === 'adapters') return tell(await linuxRadio.adapters());
  if (what === 'nmcli') {
    const fields = ['-t', '-f', NMCLI_FIELDS, 'device', 'wifi', 'list', '--rescan', 'no', 'ifname', name];
    return tell(gathered(readNmcliList(execFileSync('nmcli', fields, { encoding: 'utf8' }))));
  }
  if (what === 'look') return tell(gathered(await linuxRadio.look(name, never)));
  const begun = Date.now();
  const wanted = network(rest);
  if (what === 'look-and-try') {
    const heard = gathered(await linuxRadio.look(name, never));
    const there = heard.find(({ ssidHex }) => ssidHex === wanted.ssidHex);
    const other = otherSecurity(wanted.security, there);
    if (other !== null) return tell({ verdict: 'other-security', message: other, seconds: 0 });
  }
  const end = await linuxRadio.tryKey(name, wanted, never);
  tell({ ...end, seconds: (Date.now() - begun) / 1000 });
}

main(process.argv.slice(2)).catch((error: unknown) => {
  tell({ error: error instanceof Error ? error.message : String(error) });
});
