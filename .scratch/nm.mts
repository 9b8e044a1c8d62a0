import { spawnSync } from 'node:child_process';
import * as fc from 'fast-check';
import { checkKeyfile } from '../core/src/firstboot/check/keyfile.ts';
import { readKeyfile, ssidOfKeyfile } from '../core/src/firstboot/keyfile.ts';
import { noSettings } from '../core/src/firstboot/check/finding.ts';
const good = `[connection]
id=nest-1
uuid=2f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a00
type=wifi
autoconnect-priority=10

[wifi]
hidden=true
mode=infrastructure
ssid=Salt Marsh

[wifi-security]
key-mgmt=wpa-psk
psk=low tide at seven

[ipv4]
method=auto

[ipv6]
method=auto
`;
const pieces = ['', ' ', '\t', '\n', '=', '[', ']', '#', ';', '\\', '\\s', '\\x', '"', "'", 'x', '1', '0', '-', 'ø', 'key', '83;65;', ';;', '\\;', '300;'];
const lines = ['ssid=', 'ssid=83;65;', 'ssid=83;65', 'ssid="a"', 'psk=short', 'psk=', 'key-mgmt=none', 'key-mgmt=sae', 'key-mgmt=WPA-PSK', 'wep-key0=abcde', 'hidden=yes', 'hidden=1', 'mode=ap', 'mode=x', 'autoconnect-priority=x', 'autoconnect-priority=1000', 'type=ethernet', 'type=802-11-wireless', 'junk', '[wifi', '[x]', 'method=x', 'uuid=1', 'psk=' + 'a'.repeat(64), 'psk=' + 'g'.repeat(64), 'psk=' + 'b'.repeat(70), 'wep-key-type=1', 'auth-alg=open', 'proto=rsn', 'pairwise=ccmp', 'band=a', 'band=x', 'channel=6', 'address1=10.0.0.5/24', 'autoconnect=false', 'interface-name=wlan0', 'unknown=1'];
const ch = fc.array(fc.oneof(fc.tuple(fc.constant(0), fc.nat(300), fc.nat(3), fc.constantFrom(...pieces)), fc.tuple(fc.constant(1), fc.nat(20), fc.nat(1), fc.constantFrom(...lines))), { minLength: 1, maxLength: 2 });
const docs = fc.sample(ch, { numRuns: Number(process.argv[3] ?? 400), seed: Number(process.argv[2] ?? 1) }).map((cs) => cs.reduce((t, [k, a, c, p]) => { if (k === 0) { const at = a % t.length; return t.slice(0, at) + p + t.slice(at + c); } const l = t.split('\n'); l.splice(a, c, p); return l.join('\n'); }, good));
const t = { both: 0, refuse: 0, falseAlarm: 0, missed: 0, differ: 0 };
const show: Record<string, string[]> = { falseAlarm: [], missed: [], differ: [] };
for (const d of docs) {
  const r = spawnSync('nmcli', ['--offline', 'connection', 'modify', 'connection.autoconnect', 'yes'], { input: /^\s*id\s*=/m.test(d) ? d : d, encoding: 'utf8' });
  const s = noSettings();
  const f = checkKeyfile('x', new TextEncoder().encode(d), 1, s).filter((x) => /refuses|ignores/.test(x.why));
  if (/connection.id: property is missing/.test(r.stderr)) continue;
  const ok = r.status === 0;
  if (!ok && f.length) t.refuse++;
  else if (!ok) { t.missed++; show.missed!.push(r.stderr.trim() + ' || ' + d); }
  else if (f.length) { t.falseAlarm++; show.falseAlarm!.push(JSON.stringify(f[0]!.message) + ' || ' + d); }
  else {
    const g = readKeyfile(r.stdout);
    const theirs = Buffer.from(ssidOfKeyfile(g.get('wifi')?.get('ssid') ?? '')).toString('hex');
    const ours = Buffer.from(ssidOfKeyfile(readKeyfile(d).get('wifi')?.get('ssid') ?? '')).toString('hex');
    const p1 = g.get('wifi-security')?.get('psk'), p2 = readKeyfile(d).get('wifi-security')?.get('psk');
    if (theirs === ours && p1 === p2) t.both++; else { t.differ++; show.differ!.push(`${theirs} != ${ours} ${p1} ${p2}` + ' || ' + r.stdout + '\n||\n'+ d); }
  }
}
console.log(t);
for (const k of Object.keys(show)) { console.log('=====', k); const seen = new Set(); for (const s of show[k]!) { const key = s.split(' || ')[0]!.slice(0, 200); if (seen.has(key)) continue; seen.add(key); console.log(s + '\n-----'); } }
