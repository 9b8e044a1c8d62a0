import { spawnSync } from 'node:child_process';
import * as fc from 'fast-check';
import { YamlFile } from '../core/src/firstboot/check/yaml-file.ts';
import { Findings } from '../core/src/firstboot/check/finding.ts';
const ud = `#cloud-config
hostname: "tank-01"
users:
  - name: keeper
    groups: [sudo, dialout]
    lock_passwd: true
    ssh_authorized_keys:
      - "ssh-ed25519 AAAA keeper@bench"
ssh_pwauth: false
write_files:
  - path: /boot/x
    content: |
      one
      two
runcmd:
  - 'echo "hi"'
`;
const nc = `network:
  version: 2
  wifis:
    wlan0:
      dhcp4: true
      regulatory-domain: "DK"
      access-points:
        "Salt Marsh":
          password: "low tide at seven"
        Hall: {}
`;
const pieces = ['', '\t', ' ', '  ', '"', "'", ':', ': ', '#', ' #', '-', '- ', '*', '&', '!', '|', '>', '{', '}', '[', ']', ',', '?', '%', '@', '`', '\\', '\n', '\n\n', 'no', '012', '1e3', '~', 'null', '=', '<<', '0x1f', '1:30', '---', '...', '2024-01-01', 'ø', 'a: b', '"\\x41"'];
const ch = fc.tuple(fc.constantFrom(ud, nc), fc.array(fc.tuple(fc.nat(400), fc.nat(3), fc.constantFrom(...pieces)), { minLength: 1, maxLength: 2 }));
const docs = fc.sample(ch, { numRuns: 6000, seed: Number(process.argv[2] ?? 1) }).map(([b, cs]) => cs.reduce((t, [a, c, p]) => { const at = a % t.length; return t.slice(0, at) + p + t.slice(at + c); }, b));
const r = spawnSync('python3', ['/tmp/py.py'], { input: docs.map((d) => JSON.stringify(d)).join('\n') + '\n', encoding: 'utf8', maxBuffer: 1 << 28 });
const answers = r.stdout.trim().split('\n').map((l) => JSON.parse(l));
const canon = (v: unknown): string => JSON.stringify(v, (_k, x) => x && typeof x === 'object' && !Array.isArray(x) ? Object.fromEntries(Object.entries(x).sort(([a],[b]) => a < b ? -1 : 1)) : x);
const t = { both: 0, refuse: 0, falseAlarm: 0, missed: 0, differ: 0 };
const show: Record<string, string[]> = { falseAlarm: [], missed: [], differ: [] };
for (const [i, d] of docs.entries()) {
  const f = new Findings('x'); const y = YamlFile.read('x', d, f); const a = answers[i];
  if (!y && !a.ok) t.refuse++;
  else if (!y) { t.falseAlarm++; show.falseAlarm!.push(f.list[0]!.id + f.list[0]!.message + ' || ' + d); }
  else if (!a.ok) { t.missed++; show.missed!.push(a.e + ' || ' + d); }
  else { let c = ''; try { c = canon(y.value ?? null); } catch { c = 'ERR'; } if (c === canon(a.v)) t.both++; else { t.differ++; show.differ!.push(c + '\n!= ' + canon(a.v) + ' || ' + d); } }
}
console.log(t);
for (const k of Object.keys(show)) { console.log('=====', k); for (const s of show[k]!.slice(0, Number(process.argv[3] ?? 6))) console.log(s + '\n-----'); }
