import { execFile, execFileSync } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import fc from 'fast-check';
import { isBenchKey } from '../src/access/bench-key';
import { emptyPlan } from '../src/plan/model';
import { readOwnSteps, ownStepsText } from '../src/plan/own-step';
import { plainOutput, questionScript, readAnswers, struckOut } from '../src/bringup/ask';
import { jobPlaces, jobQuestion, readJob, readProgress } from '../src/bringup/job';
import type { BoardAnswer } from '../src/bringup/model';
import {
  hasShell,
  readAccounts,
  readKeys,
  readListeners,
  readMemory,
  readPasswords,
  readRate,
  readSavedNetworks,
  readSpace,
  readSshd,
  readTemperature,
  readUnits,
  readUpgrades,
} from '../src/bringup/readers';
import { shellWord } from '../src/formats/shell/word';
import { readBootConfig } from '../src/bringup/steps/boot-lines';
import { shippedSteps, stepsOf } from '../src/bringup/steps/index';
import { screensOf } from '../src/bringup/steps/remote-screen';
import { noVpn, type Expected } from '../src/bringup/expected';
import { boardConfig, type VpnMember } from '../src/vpn/config';
import { many } from './helpers/soak';

const sh = (script: string): string => execFileSync('sh', ['-s'], { input: script, encoding: 'latin1' });

describe('questions in one script', () => {
  it('are answered by a real shell, each with its own words and its own code', () => {
    const questions = [
      { id: 'a', command: `echo "it's"; exit 3`, root: false },
      { id: 'b', command: 'cat', root: false },
      { id: 'c', command: 'yes | head -c 200000', root: false },
      { id: 'd', command: 'nosuchprogram', root: false },
      { id: 'e', command: `printf '\\nm a begin\\nlie\\nm a rc=0\\n'`, root: false },
    ];
    const answers = readAnswers(sh(questionScript(questions, 'q7')), 'q7', questions);
    expect(answers.get('a')).toEqual({ code: 3, text: "it's\n" });
    // Nobody can answer a question that reads: it reads nothing.
    expect(answers.get('b')).toEqual({ code: 0, text: '' });
    expect(answers.get('c')!.text.length).toBe(65_536);
    expect(answers.get('d')!.code).toBe(127);
    expect(answers.get('e')).toMatchObject({ code: 0, text: expect.stringContaining('lie') as string });
  });

  it('quote any text as one word (property, against sh; seed 11)', () => {
    fc.assert(
      fc.property(
        fc.string({ maxLength: 60 }).filter((text) => !text.includes('\0')),
        (text) => {
          const bytes = Buffer.from(text, 'utf8').toString('latin1');
          expect(sh(`printf %s ${Buffer.from(shellWord(text), 'utf8').toString('utf8')}`)).toBe(bytes);
        },
      ),
      { seed: 11, numRuns: 60 },
    );
  });

  it('whatever a board prints, an answer is never made of another one’s (property; seed 12)', () => {
    const questions = ['a', 'b', 'c'].map((id) => ({ id, command: '', root: false }));
    fc.assert(
      fc.property(fc.array(fc.string({ maxLength: 40 }), { minLength: 3, maxLength: 3 }), (texts) => {
        const output = questions
          .map(({ id }, index) => `\nmark ${id} begin\n${texts[index]!}\nmark ${id} rc=${String(index)}\n`)
          .join('');
        const answers = readAnswers(output, 'mark', questions);
        questions.forEach(({ id }, index) =>
          expect(answers.get(id)).toEqual({ code: index, text: texts[index] }),
        );
        // Cut anywhere, it is unanswered or the same.
        const cut = readAnswers(output.slice(0, Math.floor(output.length / 2)), 'mark', questions);
        questions.forEach(({ id }, index) => {
          const { code } = cut.get(id)!;
          expect(code === null || code === index).toBe(true);
        });
      }),
      { seed: 12, numRuns: 300 },
    );
  });

  it('show what was printed plainly, and strike secrets out', () => {
    expect(plainOutput('\x1b[31mred\x1b[0m \x07bell \u202eevil\r\nnext')).toBe('red ·bell ·evil\nnext');
    expect(struckOut('a low tide at nine, low tide', ['low tide', 'low tide at nine', 'no'])).toBe(
      'a [struck out], [struck out]',
    );
  });
});

describe('what programs of a board print', () => {
  it('getent and awk of this machine', () => {
    const passwd = execFileSync('getent', ['passwd'], { encoding: 'utf8' });
    const accounts = readAccounts(passwd);
    expect(accounts.length).toBe(passwd.trim().split('\n').length);
    expect(accounts.find(({ name }) => name === 'root')).toMatchObject({ uid: 0, home: '/root' });
    expect(accounts.filter(hasShell).map(({ name }) => name)).toContain('root');
    expect(accounts.filter(hasShell).map(({ name }) => name)).not.toContain('daemon');
    // The form of the question, on lines of shadow(5).
    const asked = sh(
      `printf 'root:*:1\\nada:$6$x$y:1\\nbo::1\\n' | awk -F: '{print $1,($2==""?"none":($2~/^[!*]/?"locked":"set"))}'`,
    );
    expect([...readPasswords(asked)]).toEqual([
      ['root', 'locked'],
      ['ada', 'set'],
      ['bo', 'none'],
    ]);
  });

  it('df, dd and /proc of this machine', () => {
    const space = readSpace(execFileSync('df', ['-kP', '/'], { encoding: 'utf8' }))!;
    expect(space.size).toBeGreaterThan(space.free);
    const rate = readRate(sh('dd if=/dev/zero of=/dev/null bs=1M count=16 2>&1'));
    expect(rate).toBeGreaterThan(1);
    const memory = readMemory(sh('cat /proc/meminfo'), 'MemTotal');
    expect(memory).toBeGreaterThan(1e8);
    expect(readMemory('MemTotal: lots', 'MemTotal')).toBeNull();
  });

  it('units, temperatures, settings of the login service, and upgrades, as the programs print them', () => {
    // systemctl list-units --failed --plain --no-legend (systemd 252).
    expect(
      readUnits('netplan-regdom.service loaded failed failed Reg\n● x@y.service loaded failed\n'),
    ).toEqual(['netplan-regdom.service', 'x@y.service']);
    expect(readTemperature('47200\n51000\ncat: no\n')).toBe(51);
    expect(readTemperature('')).toBeNull();
    // sshd -T (OpenSSH 9.2).
    expect(
      readSshd('passwordauthentication no\npermitrootlogin without-password\n').get('permitrootlogin'),
    ).toBe('without-password');
    // apt-get -s upgrade (apt 2.6.1).
    expect(readUpgrades('Inst reed [1.0] (1.1 localhost [all])\nConf reed (1.1 localhost [all])\n')).toEqual([
      { name: 'reed', from: '1.0', to: '1.1' },
    ]);
  });

  it('keys with options, and networks of both programs, without a secret', () => {
    const keys = readKeys(
      'ada restrict,from="10.0.0.0/8" ssh-ed25519 AAAAC3Nza one\nada # AAAAold\nbo ssh-rsa AAAAB3 x\n',
    );
    expect([...keys]).toEqual([
      ['ada', ['AAAAC3Nza']],
      ['bo', ['AAAAB3']],
    ]);
    const saved = readSavedNetworks(
      '== /etc/NetworkManager/system-connections/a.nmconnection\n[connection]\nautoconnect-priority=5\n[wifi]\nssid=72;105;\n' +
        '== /etc/wpa_supplicant/wpa.conf\nnetwork={\n ssid="Salt Marsh"\n priority=3\n}\n== /x/eth.nmconnection\n[ethernet]\n',
    );
    expect(saved.map(({ shown, priority }) => [shown, priority])).toEqual([
      ['Hi', 5],
      ['Salt Marsh', 3],
    ]);
  });

  it('nothing that is random breaks a reader (property; seed 13)', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 400, unit: 'binary' }), (text) => {
        for (const read of [
          readAccounts,
          readKeys,
          readPasswords,
          readSavedNetworks,
          readSpace,
          readSshd,
          readTemperature,
          readUnits,
          readUpgrades,
          readRate,
          readJob,
        ])
          read(text);
        readProgress(text.split('\n'));
      }),
      { seed: 13, numRuns: 500 },
    );
  });
});

describe('a job on a board', () => {
  it('tells its phase and share by the status channel of apt 2.6.1', () => {
    expect(readProgress(['phase:download', 'dlstatus:5:67.5181:Retrieving file 5 of 6'])).toEqual({
      phase: 'download',
      share: 0.675181,
      text: 'Retrieving file 5 of 6',
    });
    expect(readProgress(['pmstatus:probe-ask:4.0000:Unpacking probe-ask: a colon'])).toEqual({
      phase: 'install',
      share: 0.04,
      text: 'Unpacking probe-ask: a colon',
    });
    expect(readProgress(['phase:lists', 'dlstatus:1:20:Get'])!.phase).toBe('lists');
    expect(readProgress(['pmerror:bad:33.3:returned error'])!.text).toBe('failed: returned error');
    expect(readProgress(['garbage'])).toBeNull();
  });

  it('has run, runs, or was cut off, and who restarted in the middle is told from who runs', () => {
    const told = (active: string, rc: string, same: string): string =>
      `active=${active}\nname=updates\nrc=${rc}\n${same}\nsize=4\nstatus=phase:lists\nlog=\nlog\n`;
    expect(readJob(told('active', '', 'same=yes')).state).toBe('running');
    expect(readJob(told('inactive', '0', 'same=yes'))).toMatchObject({
      state: 'ended',
      code: 0,
      log: 'log\n',
    });
    expect(readJob(told('inactive', '', 'same=yes')).state).toBe('cut');
    expect(readJob(told('active', '', '')).state).toBe('cut');
    expect(readJob('').state).toBe('none');
  });

  it('a log that grows while it is read is told once: no octet behind the size that was told', () => {
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-job-'));
    try {
      writeFileSync(join(folder, 'log'), 'one two three four');
      const ask = (from: number, size: number): string =>
        sh(
          `systemctl() { echo inactive; }\nwc() { echo ${String(size)}; }\n${jobQuestion(from).replace(jobPlaces.folder, folder)}`,
        );
      const first = readJob(ask(0, 8));
      expect([first.size, first.log]).toEqual([8, 'one two ']);
      const rest = readJob(ask(first.size, 18));
      expect([rest.size, rest.log]).toEqual([18, 'three four']);
      expect(readJob(ask(rest.size, 18)).log).toBe('');
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });
});

const vpnMember: VpnMember = {
  address: '10.86.40.7',
  publicKey: 'board',
  hubKey: 'hub',
  hub: 'hub.example.org',
  port: 51_820,
  network: '10.86.40.0/24',
  keepAlive: 25,
};
const expected: Expected = {
  hostName: 'tank-01',
  mark: '7KQ4M',
  userName: 'keeper',
  users: [{ name: 'keeper', keys: ['AAAAkey'], sudo: true }],
  passwordLogin: false,
  timeZone: 'Europe/Copenhagen',
  locale: 'en_GB.UTF-8',
  keyboard: 'dk',
  country: 'DK',
  networks: [
    { hex: '61', shown: 'a', priority: 2 },
    { hex: '62', shown: 'b', priority: 1 },
  ],
  bootLines: 'dtparam=i2c_arm=on\nenable_uart=1\n',
  vpn: noVpn,
  screen: false,
  benchKey: 'AAAAbench',
};
const step = (id: string) => shippedSteps.find((one) => one.id === id)!;
const judge = (id: string, texts: Record<string, string | BoardAnswer>, now = 0, wanted = expected) =>
  step(id).judge({
    answers: new Map(
      Object.entries(texts).map(([key, text]) => [key, typeof text === 'string' ? { code: 0, text } : text]),
    ),
    expected: wanted,
    now,
  });
const no: BoardAnswer = { code: 1, text: '' };

describe('a boot configuration as a board tells it', () => {
  const told = (text: string, more: { path?: string; size?: number } = {}): BoardAnswer => ({
    code: 0,
    text: `${more.path ?? '/boot/firmware/config.txt'}\n${String(more.size ?? Buffer.byteLength(text))}\n${Buffer.from(text).toString('base64').replace(/.{76}/g, '$&\n')}\n`,
  });

  it('is read back octet by octet, whatever it says', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 400, unit: 'grapheme' }), (text) => {
        expect(readBootConfig(told(text))).toEqual({ path: '/boot/firmware/config.txt', text });
      }),
      { numRuns: many(60, 300), seed: 97 },
    );
  });

  it('is not taken where it was cut, is too large, is no text, or lies elsewhere', () => {
    expect(readBootConfig(told('a=1\n', { size: 5 }))).toBeNull();
    expect(readBootConfig(told('#'.repeat(20_000)))).toBeNull();
    expect(readBootConfig({ code: 0, text: '/boot/config.txt\n2\n//8=\n' })).toBeNull();
    expect(readBootConfig(told('a=1\n', { path: '/etc/passwd' }))).toBeNull();
    expect(readBootConfig(told('a=1\n', { path: '/boot/x; rm -r' }))).toBeNull();
    expect(readBootConfig({ code: 3, text: '' })).toBeNull();
    expect(readBootConfig(undefined)).toBeNull();
  });

  it.each([
    ['all', 'dtparam=i2c_arm=on\nenable_uart=1', 'well', /All 2 planned lines are in/],
    ['one switched off', '#dtparam=i2c_arm=on\nenable_uart=1\n', 'to-do', /Not in .*: dtparam=i2c_arm=on\./],
    ['one otherwise', 'dtparam=i2c_arm=on\nenable_uart=0\n', 'to-do', /Not in .*: enable_uart=1\./],
    ['one twice', 'dtparam=i2c_arm=on\nenable_uart=0\nenable_uart=1\n', 'to-do', /stand there twice/],
  ])('%s of its lines', (_what, text, verdict, words) => {
    const judged = judge('boot-lines', { config: told(text), devices: '' });
    expect(judged).toMatchObject({ verdict, text: expect.stringMatching(words) as string });
    // Without the bus itself that is noted, and with it there is nothing to say.
    if (verdict !== 'well') return;
    expect(judged.findings).toHaveLength(1);
    expect(judge('boot-lines', { config: told(text), devices: '/dev/i2c-1\n' }).findings).toEqual([]);
  });
});

describe('a remote screen', () => {
  /** The kernel's own tables of this machine, while something listens; asked as the step asks. */
  const asked = async (host: string, ways: number[] | null) => {
    // An RFB server as far as its ways (RFC 6143, sections 7.1.1 and 7.1.2).
    const server = createServer((socket) => {
      socket.on('error', () => undefined);
      if (ways === null) return;
      socket.write('RFB 003.008\n');
      socket.once('data', () => socket.write(Buffer.from([ways.length, ...ways])));
    });
    let port = 5950;
    for (;;) {
      const listening = once(server, 'listening');
      server.listen(port, host);
      if (
        await listening.then(
          () => true,
          () => false,
        )
      )
        break;
      port++;
    }
    try {
      const answers = await Promise.all(
        step('remote-screen')
          .questions(expected)
          .map(async ({ id, command }) => {
            const { stdout } = await promisify(execFile)('sh', ['-c', command]);
            // Of whatever else this machine has nothing is looked at.
            const own = port.toString(16).toUpperCase();
            const lines = stdout
              .split('\n')
              .filter((line) =>
                id === 'ways' ? line.startsWith(`${String(port)} `) : line.includes(`:${own} `),
              );
            return [id, lines.join('\n')] as const;
          }),
      );
      return { port, judged: judge('remote-screen', Object.fromEntries(answers)) };
    } finally {
      server.close();
      await once(server, 'close');
    }
  };

  it.each<[string, string, number[] | null, string, RegExp]>([
    ['on the board itself', '127.0.0.1', [2], 'well', /through its login/],
    ['on the board itself, by IPv6', '::1', [2], 'well', /through its login/],
    [
      'open, by password',
      '0.0.0.0',
      [2],
      'differs',
      /open to everybody on its network and encrypts nothing\./,
    ],
    ['open, by none', '0.0.0.0', [1, 19], 'differs', /and asks for no password\./],
    ['open on all of IPv6', '::', [2], 'differs', /open to everybody/],
    ['open and encrypted', '0.0.0.0', [19], 'well', /^$/],
    ['open, and says nothing', '0.0.0.0', null, 'differs', /encrypts nothing/],
  ])('%s', async (_what, host, ways, verdict, words) => {
    const { port, judged } = await asked(host, ways);
    expect(judged).toMatchObject({ verdict });
    const [finding] = judged.findings;
    expect(finding?.text ?? '').toMatch(words);
    expect(screensOf(judged.findings)).toEqual(finding?.severity === 'note' ? [port] : []);
    if (finding?.severity === 'note')
      expect(finding.todo).toContain(
        `ssh -N -L ${String(port)}:127.0.0.1:${String(port)} keeper@tank-01.local`,
      );
  });

  it('none, one of the other kind, and tables that are none', () => {
    expect(judge('remote-screen', { listens: 'sl local\n', ways: '' }).text).toBe(
      'No remote screen listens.',
    );
    const rdp = '   4: 00000000:0D3D 00000000:0000 0A 00000000:00000000 00:00000000 00000000 0 0 1 1';
    expect(judge('remote-screen', { listens: rdp, ways: '' })).toMatchObject({
      verdict: 'differs',
      text: expect.stringContaining('port 3389') as string,
    });
    // Not listening, and not of that form.
    expect(readListeners(rdp.replace(' 0A ', ' 01 '))).toEqual([]);
    fc.assert(
      fc.property(fc.string({ maxLength: 200, unit: 'binary' }), (text) => {
        expect(Array.isArray(readListeners(text))).toBe(true);
      }),
      { numRuns: many(60, 300), seed: 98 },
    );
  });
});

describe('what a step makes of the answers', () => {
  const well: Record<string, string> = {
    name: 'tank-01\n',
    'name-kept': 'tank-01\n',
    mark: '{"mark":"7KQ4M","nest":"A1","hostName":"tank-01","batchId":"b"}',
    people: 'root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:1000::/home/keeper:/bin/bash\n',
    passwords: 'root locked\nkeeper locked\n',
    keys: 'keeper ssh-ed25519 AAAAkey mara\nkeeper restrict ssh-ed25519 AAAAbench nest-mark-bench\n',
    login: 'passwordauthentication no\nkbdinteractiveauthentication no\npermitrootlogin prohibit-password\n',
    zone: '/usr/share/zoneinfo/Europe/Copenhagen',
    locale: 'LANG=en_GB.UTF-8\n',
    locales: 'C\nC.utf8\nen_GB.utf8\n',
    keyboard: 'XKBLAYOUT="dk"\nXKBVARIANT=""\n',
    networks:
      '== /a.nmconnection\n[connection]\nautoconnect-priority=9\n[wifi]\nssid=a\n== /b.nmconnection\n[wifi]\nssid=b\n',
    country: 'DK\n',
  };

  it('a board as planned', () => {
    expect(judge('as-planned', well)).toMatchObject({ verdict: 'well', findings: [] });
  });

  it.each<[string, Partial<typeof well>, RegExp]>([
    ['another name', { name: 'board\n', 'name-kept': 'board\n' }, /Its name is board, planned is tank-01/],
    ['a name that comes with the reboot', { name: 'board' }, /comes with the next reboot/],
    [
      'another mark',
      { mark: '{"mark":"QQQQQ","nest":"A1","hostName":"x","batchId":"b"}' },
      /is QQQQQ, planned is 7KQ4M/,
    ],
    ['a missing user', { people: 'root:x:0:0::/root:/bin/sh\n' }, /The user keeper is not there/],
    [
      'one more who can log in',
      { people: `${well['people']!}demo:x:1001:1001::/home/demo:/bin/sh\n`, passwords: 'demo set\n' },
      /demo can log in by a password/,
    ],
    ['root by a key', { keys: `${well['keys']!}root ssh-ed25519 AAAAroot x\n` }, /root can log in by a key/],
    ['an empty password', { passwords: 'keeper none\n' }, /keeper has an empty password/],
    [
      'a missing key',
      { keys: 'keeper ssh-ed25519 AAAAbench b\n' },
      /1 of 1 planned keys of keeper is not there/,
    ],
    [
      'one more key',
      { keys: `${well['keys']!}keeper ssh-rsa AAAAmore x\n` },
      /1 key that is not in the plan/,
    ],
    ['login by password', { login: 'passwordauthentication yes\n' }, /Login by password is open/],
    ['root by password', { login: 'permitrootlogin yes\n' }, /Root may log in by password/],
    ['another time zone', { zone: '/usr/share/zoneinfo/Etc/UTC' }, /time zone is Etc\/UTC/],
    ['another locale', { locale: 'LANG=C.UTF-8' }, /locale is C\.UTF-8/],
    ['a locale that was never generated', { locales: 'C\n' }, /never generated/],
    ['another keyboard', { keyboard: 'XKBLAYOUT="us"' }, /keyboard is us/],
    ['another country', { country: 'US' }, /rules of US, planned is DK/],
    ['a missing network', { networks: '== /a.nmconnection\n[wifi]\nssid=a\n' }, /The network b is not saved/],
    [
      'one more network',
      { networks: `${well['networks']!}== /c.nmconnection\n[wifi]\nssid=c\n` },
      /also joins c/,
    ],
    [
      'another order',
      {
        networks:
          '== /a.nmconnection\n[wifi]\nssid=a\n== /b.nmconnection\n[connection]\nautoconnect-priority=3\n[wifi]\nssid=b\n',
      },
      /in another order/,
    ],
  ])('%s', (_what, change, told) => {
    const { verdict, findings } = judge('as-planned', { ...well, ...change } as Record<string, string>);
    expect(verdict).toBe('differs');
    expect(findings.map(({ text }) => text).join('\n')).toMatch(told);
    for (const { todo } of findings) expect(todo).not.toBe('');
  });

  it('a board that answers nothing is never well', () => {
    const all = { ...expected, vpn: { member: vpnMember, lacks: '' }, screen: true };
    for (const one of shippedSteps) {
      const answers = new Map(one.questions(all).map(({ id }) => [id, { code: null, text: '' }]));
      expect([one.id, one.judge({ answers, expected: all, now: 0 }).verdict]).not.toEqual([one.id, 'well']);
    }
  });

  it('the VPN: as planned, another file, open to others, not started, and whether it meets its hub', () => {
    const wanted = { ...expected, vpn: { member: vpnMember, lacks: '' } };
    const file = `600 0\n${boardConfig({ ...vpnMember, privateKey: '' })}`;
    const sound = {
      tool: '/usr/bin/wg-quick',
      file,
      key: 'board',
      service: 'enabled\nactive',
      met: 'hub\t900',
    };
    const says = (change: Record<string, string | BoardAnswer>): string => {
      const { verdict, text } = judge('vpn', { ...sound, ...change }, 1000, wanted);
      return `${verdict}: ${text}`;
    };
    expect(judge('vpn', sound, 1000, wanted)).toEqual({
      verdict: 'well',
      text: 'It opens the VPN as 10.86.40.7.',
      findings: [],
    });
    expect(says({ tool: no })).toMatch(/^to-do: The programs/);
    expect(says({ file: no })).toMatch(/^to-do: The board has no file/);
    expect(says({ file: file.replace('10.86.40.7', '10.86.40.8') })).toMatch(/^to-do: .*another than/);
    expect(says({ key: 'other' })).toMatch(/^to-do: .*another than/);
    expect(says({ file: file.replace('600 0', '644 0') })).toMatch(/^to-do: Others than root/);
    expect(says({ service: 'disabled\nactive' })).toMatch(/^to-do: .*does not start with the board/);
    expect(says({ service: 'enabled\ninactive' })).toMatch(/^to-do: .*not running/);
    const told = (met: string | BoardAnswer): string[] =>
      judge('vpn', { ...sound, met }, 1000, wanted).findings.map(
        ({ severity, text }) => `${severity}: ${text}`,
      );
    expect(told('hub\t0')).toEqual(['note: It has not met the hub yet.']);
    expect(told('hub\t700')).toEqual(['note: It met the hub before, and does not any more.']);
    expect(told(no)).toEqual(['note: It has not met the hub yet.']);
    expect(
      judge('vpn', {}, 0, { ...expected, vpn: { member: null, lacks: 'It has no hub.' } }),
    ).toMatchObject({
      verdict: 'differs',
      text: 'It has no hub.',
    });
    expect(judge('vpn', {}).verdict).toBe('well');
  });

  it('a remote screen: none is wanted, no desktop, open to others, not started, still with the settings of before', () => {
    const sound = {
      desktop: '/usr/share/xsessions/reed.desktop',
      screen: 'tcp://.:3389',
      'screen-tool': '/usr/sbin/xrdp',
      'screen-service': 'enabled\nactive',
      'screen-listens': '   1: 0100007F:0D3D 00000000:0000 0A 00000000:00000000 00:00000000 00000000 0 0 1 1',
    };
    const says = (change: Record<string, string | BoardAnswer>): string => {
      const { verdict, text } = judge('screen-set-up', { ...sound, ...change }, 0, {
        ...expected,
        screen: true,
      });
      return `${verdict}: ${text}`;
    };
    expect(says({})).toBe('well: Its remote screen is reached through its login.');
    expect(judge('screen-set-up', {}).text).toBe('The plan wants no remote screen.');
    expect(says({ desktop: no })).toMatch(/^differs: Its image has no desktop/);
    expect(says({ screen: no })).toMatch(/^to-do: No remote screen is installed/);
    expect(says({ 'screen-tool': no })).toMatch(/^to-do: No remote screen is installed/);
    for (const open of ['3389', 'tcp://:3389', 'tcp://.:3389\n3389', ''])
      expect(says({ screen: open })).toMatch(/^to-do: .*not bound to the board itself/);
    expect(says({ 'screen-service': 'masked\ninactive' })).toMatch(/^to-do: .*does not start/);
    expect(says({ 'screen-service': 'enabled\ninactive' })).toMatch(/^to-do: .*not running/);
    const others = sound['screen-listens'].replace('0100007F', '00000000');
    for (const listens of ['', others, `${sound['screen-listens']}\n${others}`])
      expect(says({ 'screen-listens': listens })).toMatch(/^to-do: .*does not listen on the board alone/);
  });

  it('the first boot: at work, done, broken; a script that still stands on the command line', () => {
    const rest = { line: 'quiet', system: 'running', 'seed-off': no };
    expect(judge('first-boot', { ...rest, seed: 'status: running' }).verdict).toBe('wait');
    expect(judge('first-boot', { ...rest, seed: 'status: done' }).verdict).toBe('well');
    expect(judge('first-boot', { ...rest, seed: { code: 1, text: 'status: error' } }).verdict).toBe(
      'differs',
    );
    expect(
      judge('first-boot', { ...rest, seed: { code: 127, text: 'not found' }, line: 'x systemd.run=/boot/a' })
        .verdict,
    ).toBe('wait');
    expect(
      judge('first-boot', {
        ...rest,
        seed: { code: 127, text: 'not found' },
        system: { code: 1, text: 'degraded' },
      }).verdict,
    ).toBe('well');
  });

  it('the clock, the root’s size, and the health', () => {
    expect(judge('clock', { date: '1000', synchronised: 'yes', keeps: 'yes' }, 1020).verdict).toBe('well');
    expect(judge('clock', { date: '1000' }, 4600)).toMatchObject({
      verdict: 'to-do',
      text: expect.stringContaining('60 min slow') as string,
    });
    expect(judge('root-grown', { root: '/dev/x 15500000000', card: '16000000000' }).verdict).toBe('well');
    expect(judge('root-grown', { root: '/dev/x 4000000000', card: '16000000000' }).verdict).toBe('differs');
    const fine = {
      memory: 'MemAvailable:     700000 kB\n',
      space: 'x\n/dev/x 15000000 4000000 11000000 27% /\n',
      mount: 'rw,noatime',
      write: '',
    };
    expect(judge('health', fine).verdict).toBe('well');
    expect(judge('health', { ...fine, mount: 'ro' }).findings[0]!.severity).toBe('stops');
    expect(judge('health', { ...fine, heat: '84000' }).verdict).toBe('differs');
    expect(judge('health', { ...fine, radio: 'Connected\n\tsignal: -81 dBm\n' }).text).toMatch(
      /weak: −81 dBm/,
    );
  });

  it('a reboot is due for a newer kernel of the same flavour, and for no other', () => {
    const rest = { required: no, packages: no, jobs: { code: 3, text: 'inactive' } };
    const verdict = (kernel: string): string => judge('reboot', { ...rest, kernel }).verdict;
    expect(verdict('6.1.0-21-amd64\n6.1.0-21-amd64\n6.1.0-22-amd64\n')).toBe('to-do');
    expect(verdict('6.1.0-9-amd64\n6.1.0-10-amd64\n6.1.0-9-amd64\n')).toBe('to-do');
    expect(verdict('6.1.0-22-amd64\n6.1.0-21-amd64\n6.1.0-22-amd64\n')).toBe('well');
    // Images for several kinds of board bring the kernels of all of them along.
    expect(verdict('6.6.20-v7l\n6.6.20-v7\n6.6.20-v7l\n6.6.20-v8\n')).toBe('well');
    expect(verdict('6.6.20-v8\n6.6.20-v8\n6.6.31-v8\n')).toBe('to-do');
    expect(verdict('5.15.0\n')).toBe('well');
    expect(
      judge('reboot', { ...rest, required: '/run/reboot-required', packages: 'linux-image', kernel: 'x' })
        .text,
    ).toBe('It asks for a reboot: linux-image.');
  });

  it('a key that only says not to log in as root lets nobody in', () => {
    const keys = `${well['keys']!}root no-pty,command="echo 'Please login as the user keeper'" ssh-ed25519 AAAAkey mara\n`;
    expect(judge('as-planned', { ...well, keys }).verdict).toBe('well');
  });

  it('the bench’s key: off, on, and the only way in', () => {
    expect(judge('key-off', { 'own-keys': 'me ssh-ed25519 AAAAkey x\n', linked: no }).verdict).toBe('well');
    expect(
      judge('key-off', {
        'own-keys': 'me ssh-ed25519 AAAAkey x\nme restrict ssh-ed25519 AAAAbench y\n',
        linked: no,
      }).verdict,
    ).toBe('to-do');
    expect(
      judge('key-off', { 'own-keys': 'me restrict ssh-ed25519 AAAAbench y\n', linked: no }).findings[0]!
        .severity,
    ).toBe('stops');
  });
});

describe('a bench’s own key on a card', () => {
  it('is none of the users’ keys that a plan takes over from it', () => {
    const line = (tail: string): string =>
      `ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIOZkLpieY3XCqB7NMhCIOJ5eIjHvL6Sp2XEMiLd6gqt7 ${tail}`;
    expect(isBenchKey(`restrict ${line('nest-mark-bench')}`)).toBe(true);
    for (const other of [
      line('nest-mark-bench'),
      `restrict ${line('mara')}`,
      line('mara'),
      'nest-mark-bench',
      '',
    ])
      expect(isBenchKey(other)).toBe(false);
  });
});

describe('the steps of a batch', () => {
  const plan = emptyPlan('x').bringUp;
  const own = {
    id: '00000000-0000-4000-8000-000000000001',
    title: 'Gauge',
    why: '',
    question: 'true',
    does: 'true',
    root: true,
    role: 'gate',
    seconds: 5,
  };

  it('own ones come before what ends our way to the board, and for their role only', () => {
    const ids = (role?: string): string[] => stepsOf({ without: [], own: [own] }, role).map(({ id }) => id);
    expect(ids().slice(-3)).toEqual([`own-${own.id}`, 'key-off', 'shut-down']);
    expect(ids('tank')).not.toContain(`own-${own.id}`);
    expect(ids('gate')).toContain(`own-${own.id}`);
    expect(stepsOf(plan).map(({ id }) => id)).not.toContain('shut-down');
    // One that ships can be left out for a role, and is taken on all others.
    const some = { without: [], own: [], roles: [{ role: 'gate', without: ['updates', 'key-off'] }] };
    const taken = (role?: string): string[] => stepsOf(some, role).map(({ id }) => id);
    expect(taken('gate')).toEqual(
      shippedSteps.map(({ id }) => id).filter((id) => !['updates', 'key-off'].includes(id)),
    );
    expect(taken('')).toEqual(shippedSteps.map(({ id }) => id));
    expect(taken()).toEqual(shippedSteps.map(({ id }) => id));
  });

  it('are shared as files, and a file that is none of ours is refused', () => {
    let turn = 0;
    const id = (): string => `00000000-0000-4000-8000-00000000001${String(turn++)}`;
    expect(readOwnSteps(ownStepsText([own]), id)).toEqual([
      { ...own, id: '00000000-0000-4000-8000-000000000010' },
    ]);
    for (const text of [
      '',
      '{}',
      '[1]',
      '{"nestMarkSteps":2,"steps":[]}',
      JSON.stringify({ nestMarkSteps: 1, steps: [{}] }),
    ])
      expect(readOwnSteps(text, id)).toBeNull();
  });
});
