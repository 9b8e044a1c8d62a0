import { execFile, spawn } from 'node:child_process';
import { once } from 'node:events';
import { existsSync } from 'node:fs';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { mergeBootLines, type SystemFault } from '@nest-mark/core';
import { stepsOf, writeBootConfig, type Step } from '@nest-mark/core/bring-up';
import { Shell, type StepMemory } from '@nest-mark/station';
import { noSandbox } from '../src/board/sandbox';
import { packageFiles } from '../src/system/packages';
import {
  benchKey,
  bring,
  startBoard,
  userKey,
  type BoardWishes,
  type StartedBoard,
} from './helpers/started-board';
import { long } from '../../core/test/helpers/long';

/**
 * Boards in scratch roots are brought up over real logins: questions and changes are run by the workstation's own shell,
 * packages by its own apt and dpkg on the root's own packages. What a scratch root cannot have (services, reboots, a
 * kernel's log) is a stand-in that answers in the words of the real program.
 */

const run = promisify(execFile);
const whenSandbox = noSandbox() === null ? describe : describe.skip;
const network = '127.62.41';
const all = stepsOf({ without: [], own: [] });
const named = (...ids: string[]): Step[] => all.filter(({ id }) => ids.includes(id));
const own = (question: string, does: string, more = {}): Step[] =>
  stepsOf({
    without: all.map(({ id }) => id),
    own: [
      {
        id: '00000000-0000-4000-8000-0000000000bb',
        title: 'Own',
        why: '',
        question,
        does,
        root: true,
        role: '',
        seconds: 20,
        ...more,
      },
    ],
  });

let started: StartedBoard;
const begin = async (wishes: BoardWishes = {}): Promise<StartedBoard> => {
  started = await startBoard(network, wishes);
  return started;
};
const onBoard = (script: string, ...words: string[]): Promise<void> =>
  started.system().does(script, ...words);
/** The root, seen from outside, which root may. */
const file = (path: string): Promise<string> => readFile(join(started.root, path), 'utf8');
const asRoot = process.getuid?.() === 0;

whenSandbox('a board that is brought up', () => {
  afterEach(() => started.stop());

  it('goes from proved to shut down, and what was done is seen again where it is asked anew', async () => {
    await begin();
    const { end, steps, output } = await bring(started);
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(Object.fromEntries(Object.entries(steps).map(([id, { state }]) => [id, state]))).toEqual({
      'first-boot': 'well',
      'root-grown': 'well',
      clock: 'well',
      'as-planned': 'well',
      health: 'well',
      'remote-screen': 'well',
      updates: 'done',
      leftovers: 'done',
      vpn: 'well',
      'screen-set-up': 'well',
      'boot-lines': 'well',
      reboot: 'done',
      'key-off': 'done',
      'shut-down': 'done',
    });
    expect(steps['updates']!.text).toBe(
      '3 packages upgraded (marsh-kernel 6.1.9, reed-tools 1.4, tide-tables 2026.11), 0.5 MB fetched.',
    );
    expect(output).toContain('Setting up tide-tables');
    expect(started.board.view.reason).toBe('it was shut down: its power can be cut');
    if (!asRoot) return;
    expect(await file('home/keeper/.ssh/authorized_keys')).toBe(`${userKey.publicLine}\n`);
    expect(await file('var/lib/dpkg/status')).toMatch(/Package: tide-tables[^]*Version: 2026\.11/);
  });

  it('does nothing a second time: every step that changes finds nothing to do', async () => {
    await begin();
    const steps = all.filter(({ id }) => id !== 'key-off' && id !== 'shut-down');
    expect((await bring(started, { steps })).end.state).toBe('ready');
    const again = await bring(started, { steps });
    expect(again.end.state).toBe('ready');
    expect(Object.values(again.steps).every(({ state }) => state === 'well')).toBe(true);
    expect(again.output).toBe('');
  });

  it.each<[SystemFault, string, string, RegExp]>([
    ['broken-download', 'updates', 'failed', /could not be fetched: .*tide-tables/],
    ['bad-package', 'updates', 'failed', /The package reed-tools broke while it was being installed/],
    ['slow-package', 'updates', 'done', /3 packages upgraded/],
    ['disk-full', 'updates', 'failed', /not enough free space on the card/],
    ['disk-full', 'health', 'differs', /free/],
    ['weak-supply', 'health', 'differs', /complains of its power: .*Undervoltage/],
    ['service-failed', 'health', 'differs', /A service failed: tide-gauge\.service/],
    ['more-accounts', 'as-planned', 'differs', /demo can log in by a password and is not in the plan/],
    ['open-screen', 'remote-screen', 'differs', /port 5900 is open to everybody .* encrypts nothing/],
    ['slow-clock', 'clock', 'done', /Right within 30 s/],
    ['lock-held', 'updates', 'done', /3 packages upgraded/],
    ['slow-line', 'health', 'well', /Well/],
  ])('%s is told at %s as %s', async (fault, stepId, state, text) => {
    await begin({ fault });
    const { steps } = await bring(started, { steps: named(stepId) });
    expect(steps[stepId]).toMatchObject({ state, text: expect.stringMatching(text) as string });
  });

  it('a board that never comes back from a reboot is told, and nothing else is done to it', async () => {
    await begin({ fault: 'never-returns' });
    await bring(started, { steps: named('first-boot') });
    await onBoard('touch /run/reboot-required');
    const { end, steps } = await bring(started, {
      patience: { reboot: 3 },
      steps: named('reboot', 'key-off'),
    });
    expect(steps['reboot']).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/did not come back/) as string,
    });
    expect(steps['key-off']!.state).toBe('held');
    expect(end.state).toBe('hand');
  });

  it('a host key that changes with a reboot: nothing is sent to what answers, and that is said', async () => {
    await begin({ fault: 'key-changed' });
    await bring(started, { steps: named('first-boot') });
    await onBoard('touch /run/reboot-required');
    const rebooted = await bring(started, { patience: { reboot: 4 }, steps: named('reboot') });
    expect(rebooted.steps['reboot']!.state).toBe('failed');
    const { end, steps } = await bring(started, { steps: named('health') });
    expect(end).toMatchObject({
      state: 'hand',
      message: expect.stringMatching(/signs with another key .* Nothing was sent to it/) as string,
    });
    expect(steps['health']!.state).toBe('failed');
  });
});

whenSandbox('a step that fails', () => {
  afterEach(() => started.stop());
  const without = (program: string, word: string): Promise<void> =>
    onBoard(
      `cd /usr/local/bin; p=$(command -v "$1"); [ -e "$1" ] && mv "$1" "$1.real" && p=/usr/local/bin/$1.real; printf '#!/bin/sh\\ncase "$*" in *%s*) echo refused; exit %s ;; esac\\nexec %s "$@"\\n' "$2" "\${3:-1}" "$p" >"$1"; chmod 755 "$1"`,
      program,
      word,
    );

  long('a clock that no time server sets, a leftover that cannot be removed', async () => {
    await begin({ fault: 'slow-clock' });
    await bring(started, { steps: named('first-boot') });
    await onBoard(
      `touch /board/no-time-server; printf '#!/bin/sh\\nexit 3\\n' >/var/lib/dpkg/info/old-reed.prerm; chmod 755 /var/lib/dpkg/info/old-reed.prerm`,
    );
    const { steps } = await bring(started, { steps: named('clock', 'leftovers') });
    expect(steps['clock']).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/120 min slow/) as string,
    });
    expect(steps['leftovers']).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/package old-reed broke/i) as string,
    });
  });

  it('a key list that cannot be written, and a board that does not go off', async () => {
    await begin();
    await bring(started, { steps: named('first-boot') });
    await onBoard('chown root:root /home/keeper/.ssh; chmod 700 /home/keeper/.ssh');
    const hidden = await bring(started, { steps: named('key-off') });
    expect(hidden.steps['key-off']).toMatchObject({
      state: 'unknown',
      text: expect.stringMatching(/cannot be read/) as string,
    });
    await onBoard('chmod 755 /home/keeper/.ssh; chmod 644 /home/keeper/.ssh/authorized_keys');
    await without('systemctl', 'poweroff');
    const { end, steps } = await bring(started, { steps: named('key-off'), patience: { away: 2 } });
    expect(end.state).toBe('hand');
    expect(steps['key-off']!.text).toMatch(/^The key could not be taken off/);
    const off = await bring(started, { steps: named('shut-down'), patience: { away: 2 } });
    expect(off.steps['shut-down']).toMatchObject({
      state: 'failed',
      text: 'It was told to shut down, and nobody saw it go off.',
    });
  });
});

whenSandbox('packages through this computer', () => {
  afterEach(() => started.stop());
  /** Files of the practice repository, as a cache of the workstation has them; what it was asked for. */
  const cache = async (): Promise<{ port: number; asked: string[]; close: () => Promise<void> }> => {
    await bring(started, { steps: named('first-boot') });
    const index = (await started.system().read('/srv/repository/Packages'))[0] ?? '';
    const asked: string[] = [];
    const names = [...index.matchAll(/^Filename: \.\/(.*)$/gm)].map(([, name = '']) => name);
    const files = new Map<string, Buffer>([['Packages', Buffer.from(index)]]);
    for (const { path, content } of await packageFiles())
      if (names.some((name) => path === `srv/repository/${name}`))
        files.set(path.split('/').at(-1) ?? '', Buffer.from(content));
    const server = createServer((request, response) => {
      // As a proxy it is asked for whole addresses (RFC 9112 section 3.2.2).
      asked.push(request.url ?? '');
      const file = files.get(new URL(request.url ?? '').pathname.slice(1));
      response.writeHead(file ? 200 : 404, { 'content-length': file?.length ?? 0 }).end(file);
    });
    server.listen(0, '127.0.0.1');
    await once(server, 'listening');
    // The board has no way to anybody, and no copy of its own.
    await onBoard(
      'rm -rf /srv/repository; echo "deb [trusted=yes] http://packages.invalid/ ./" >/etc/apt/sources.list',
    );
    return {
      port: (server.address() as AddressInfo).port,
      asked,
      close: async () => {
        server.closeAllConnections();
        server.close();
        await once(server, 'close');
      },
    };
  };

  long(
    'a board without any way to the internet is updated through the bench, also when the line breaks in the middle',
    async () => {
      await begin({ lends: true });
      const { port, asked, close } = await cache();
      let cut = false;
      let over = false;
      /** Once the work fetches something through the line. */
      const cutInTheMiddle = async (): Promise<void> => {
        while (asked.length === 0 && !over) await new Promise((resolve) => setTimeout(resolve, 5));
        if (!cut && !over) started.board.cutLines();
        cut = !over;
      };
      try {
        const without = await bring(started, { steps: named('updates') });
        expect(without.steps['updates']).toMatchObject({
          state: 'failed',
          text: expect.stringMatching(/could not be fetched/) as string,
        });
        expect(asked).toEqual([]);
        const { end, steps } = await bring(started, {
          steps: named('updates'),
          packagePort: port,
          onNote: (_stepId, { state }) => {
            if (state === 'doing') void cutInTheMiddle();
          },
        });
        expect(end).toEqual({ state: 'ready', message: '' });
        expect(steps['updates']!.text).toMatch(/^3 packages upgraded/);
        expect(cut).toBe(true);
        expect(asked.filter((url) => url.includes('tide-tables'))).not.toEqual([]);
        expect(new Set(asked.map((url) => new URL(url).host))).toEqual(new Set(['packages.invalid']));
        // Nothing of it stays on the board.
        const [left] = await started.system().read('/var/lib/nest-mark/job/proxy');
        await bring(started, { steps: named('leftovers') });
        expect(left).toMatch(/^http:\/\/127\.0\.0\.1:\d+\n$/);
        expect(await started.system().read('/var/lib/nest-mark/job/proxy')).toEqual(['']);
      } finally {
        over = true;
        await close();
      }
    },
  );

  it('a program that dies while packages come through it: who begins again lends anew, and tells the work that goes on', async () => {
    await begin({ lends: true });
    const { port, close } = await cache();
    const dying = new AbortController();
    try {
      const first = bring(started, { steps: named('updates'), packagePort: port, signal: dying.signal });
      await onBoard(
        'until [ -s /var/lib/nest-mark/job/status ]; do sleep 0.05; done; cp /var/lib/nest-mark/job/proxy /board/first',
      );
      dying.abort();
      expect((await first).end.state).toBe('stopped');
      const { end } = await bring(started, { steps: named('updates'), packagePort: port });
      expect(end).toEqual({ state: 'ready', message: '' });
      const [before, after] = await started.system().read('/board/first', '/var/lib/nest-mark/job/proxy');
      expect(before).toMatch(/^http:/);
      expect(after).not.toBe(before);
    } finally {
      await close();
    }
  });

  it('a card that was written before that was planned says so, and nothing is begun', async () => {
    await begin();
    const { port, asked, close } = await cache();
    try {
      const { steps } = await bring(started, { steps: named('updates'), packagePort: port });
      expect(steps['updates']).toMatchObject({
        state: 'failed',
        text: expect.stringMatching(/takes no line for packages .* Write the card anew/) as string,
      });
      expect(asked).toEqual([]);
    } finally {
      await close();
    }
  });
});

whenSandbox('boot lines', () => {
  afterEach(() => started.stop());
  const config = '# as the image has it\r\n#dtparam=i2c_arm=on\r\n[all]\r\nenable_uart=0\r\n';
  const planned = 'dtparam=i2c_arm=on\nenable_uart=1\n';
  const withLines = async (text?: string): Promise<void> => {
    await begin(text === undefined ? {} : { config: text });
    started.expected.bootLines = planned;
  };

  it('are merged as on the card, once, and in force after the reboot that they ask for', async () => {
    await withLines(config);
    const { end, steps } = await bring(started, { steps: named('boot-lines', 'reboot') });
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(steps).toMatchObject({ 'boot-lines': { state: 'done' }, reboot: { state: 'done' } });
    const [merged, kept] = await started
      .system()
      .read('/boot/firmware/config.txt', '/boot/firmware/config.txt.before');
    expect(merged).toBe(mergeBootLines(config, planned));
    expect(kept).toBe(config);
    const again = await bring(started, { steps: named('boot-lines', 'reboot') });
    expect(again.steps).toMatchObject({
      'boot-lines': { state: 'well', findings: [] },
      reboot: { state: 'well' },
    });
  });

  it('that were planned before the card was written need nothing; none at all are not asked for', async () => {
    await withLines(mergeBootLines(config, planned));
    expect((await bring(started, { steps: named('boot-lines') })).steps['boot-lines']!.state).toBe('well');
    started.expected.bootLines = '';
    expect((await bring(started, { steps: named('boot-lines') })).steps['boot-lines']!.text).toBe(
      'The plan has no boot lines.',
    );
  });

  it('a draft that a cut left is no hindrance; what cannot be written, and what changed meanwhile, is left as it is', async () => {
    await withLines(config);
    await bring(started, { steps: named('first-boot') });
    await onBoard('echo half >/boot/firmware/config.txt.nest-mark');
    const { end } = await bring(started, { steps: named('boot-lines') });
    expect(end.state).toBe('ready');
    await started.stop();
    await withLines(config);
    await bring(started, { steps: named('first-boot') });
    await onBoard('mkdir -p /boot/firmware/config.txt.nest-mark/in-the-way');
    const failed = await bring(started, { steps: named('boot-lines') });
    expect(failed.steps['boot-lines']).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/cannot be written/) as string,
    });
    await onBoard('rm -r /boot/firmware/config.txt.nest-mark');
    const path = '/boot/firmware/config.txt';
    const changed = await bring(started, {
      steps: own('false', writeBootConfig({ path, text: 'as it was read\n' }, 'enable_uart=1\n')),
    });
    expect(Object.values(changed.steps)[0]!.text).toBe(`It ended with 6: somebody changed ${path} meanwhile`);
    expect(await started.system().read('/boot/firmware/config.txt')).toEqual([config]);
  });

  it('a boot partition that is not mounted, and a board without such a file, are told as that', async () => {
    await withLines(config);
    await bring(started, { steps: named('first-boot') });
    await onBoard('echo / >/board/mounted-at');
    const folder = await bring(started, { steps: named('boot-lines') });
    expect(folder.steps['boot-lines']).toMatchObject({
      state: 'differs',
      text: expect.stringMatching(/is not mounted/) as string,
    });
    await started.stop();
    await withLines();
    const none = await bring(started, { steps: named('boot-lines') });
    expect(none.steps['boot-lines']).toMatchObject({
      state: 'differs',
      text: expect.stringMatching(/no boot configuration/) as string,
    });
  });
});

whenSandbox('becoming root', () => {
  afterEach(() => started.stop());
  /** SHA-512-crypt of "low tide at nine", made by openssl passwd -6. */
  let hash = '';
  beforeAll(async () => {
    hash = await new Promise<string>((resolve, reject) =>
      execFile('openssl', ['passwd', '-6', 'low tide at nine'], (error, out) =>
        error ? reject(error) : resolve(out.trim()),
      ),
    );
  });

  it('with a password that is asked for: it is sent once it is, and stands in no output', async () => {
    await begin({ sudo: 'ask', hash });
    await bring(started, { steps: named('first-boot') });
    await onBoard('echo low tide at nine >/board/told');
    const told = await bring(started, {
      steps: [...named('health'), ...own('test -f /var/lib/x', 'touch /var/lib/x; cat /board/told')],
      login: { password: 'low tide at nine' },
    });
    expect(told.end).toEqual({ state: 'ready', message: '' });
    expect(told.output).toContain('[struck out]');
    expect(JSON.stringify(told)).not.toContain('low tide at nine');
  });

  it('with a wrong password, with none, and where nobody may: what needs root is told as such', async () => {
    await begin({ sudo: 'ask', hash });
    for (const password of ['high tide at ten', null]) {
      const { end, steps } = await bring(started, {
        steps: [...named('as-planned'), ...own('test -f /var/lib/x', 'touch /var/lib/x')],
        login: { password },
      });
      // What can be asked without root is asked, and the rest is said to be unknown.
      expect(steps['as-planned']!.state).toBe('well');
      expect(steps['as-planned']!.findings.map(({ text }) => text)).toContain(
        'The keys could not be read without root.',
      );
      expect(end.state).toBe('hand');
      expect(Object.values(steps).at(-1)!.state).toBe('unknown');
    }
    await started.stop();
    await begin({ fault: 'no-root' });
    const { steps } = await bring(started, { steps: named('updates') });
    expect(steps['updates']).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/root/) as string,
    });
  });

  it('by another user’s key, or none: the board lets nobody in, and it is said what to look at', async () => {
    await begin();
    const { end } = await bring(started, { login: { key: null } });
    expect(end).toMatchObject({
      state: 'hand',
      message: expect.stringMatching(/lets the bench in by nothing/) as string,
    });
    const stranger = await bring(started, { login: { user: 'nobody-there' } });
    expect(stranger.end.state).toBe('hand');
  });

  it('by this computer’s agent, as OpenSSH’s own holds the key', async () => {
    await begin();
    const folder = await mkdtemp(join(tmpdir(), 'nest-mark-agent-'));
    const socket = join(folder, 'agent');
    await writeFile(join(folder, 'key'), userKey.privateText, { mode: 0o600 });
    const agent = spawn('ssh-agent', ['-D', '-a', socket], { stdio: 'ignore' });
    try {
      while (!existsSync(socket)) await new Promise((resolve) => setTimeout(resolve, 20));
      const login = { key: null, agent: socket };
      const without = await bring(started, { steps: named('health'), login });
      expect(without.end.state).toBe('hand');
      await run('ssh-add', [join(folder, 'key')], { env: { ...process.env, SSH_AUTH_SOCK: socket } });
      expect((await bring(started, { steps: named('health', 'key-off'), login })).end.state).toBe('ready');
      // The bench's key is off, and the agent still gets in.
      expect((await bring(started, { steps: named('health') })).end.state).toBe('hand');
      expect((await bring(started, { steps: named('health'), login })).end.state).toBe('ready');
    } finally {
      agent.kill();
      await rm(folder, { recursive: true, force: true });
    }
  });

  it('by the planned password', async () => {
    await begin();
    const { access } = started.plan;
    await started.stop();
    await begin({
      hash,
      settings: { passwordLogin: true },
      plan: { access: { ...access, passwordLogin: true } },
    });
    const { end } = await bring(started, {
      steps: named('health'),
      login: { key: null, password: 'low tide at nine', byPassword: true },
    });
    expect(end.state).toBe('ready');
  });
});

whenSandbox('a board that misbehaves', () => {
  afterEach(() => started.stop());

  it('that prints without end, in no language, or in colours: cut, shown plainly, and told', async () => {
    await begin();
    const endless = await bring(started, { steps: own('false', 'yes flood') });
    expect(Object.values(endless.steps)[0]).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/without end/) as string,
    });
    const binary = await bring(started, {
      steps: own(
        'test -f /var/lib/y',
        `head -c 100000 /bin/sh; printf '\\033[31mred\\033[0m'; touch /var/lib/y`,
      ),
    });
    expect(binary.end.state).toBe('ready');
    expect(binary.output).toContain('red');
    expect(binary.output).not.toMatch(/[\u0000-\u0008\u000b-\u001f\u007f]/);
  });

  it('whose step never ends, asks a question, or restarts the board: each ends, and each is told', async () => {
    await begin();
    const endless = await bring(started, { steps: own('false', 'sleep 600', { seconds: 1 }) });
    expect(Object.values(endless.steps)[0]!.text).toBe('It did not end within 1 s.');
    const asks = await bring(started, {
      steps: own('test -s /var/lib/z', 'read -r answer && echo "$answer" >/var/lib/z'),
    });
    expect(Object.values(asks.steps)[0]!.state).toBe('failed');
    const restarts = await bring(started, {
      steps: [
        ...own('test -f /var/lib/once', 'touch /var/lib/once; systemctl reboot; sleep 30'),
        ...named('health'),
      ],
    });
    expect(restarts.end).toEqual({ state: 'ready', message: '' });
  });

  long(
    'whose name server hangs: becoming root takes its time and says something, and everything is done all the same',
    async () => {
      await begin();
      await bring(started, { steps: named('first-boot') });
      await onBoard('echo hangs >/board/no-names');
      const steps = [
        ...named('as-planned', 'leftovers'),
        ...own('test -s /var/lib/z', 'echo done >/var/lib/z'),
      ];
      const { end, steps: notes } = await bring(started, { steps });
      expect(end).toEqual({ state: 'ready', message: '' });
      expect(notes).toMatchObject({ 'as-planned': { state: 'well' }, leftovers: { state: 'done' } });
      // Who asks first whether it is free is told the same words.
      const shell = await Shell.open(started.place()!, {
        user: 'keeper',
        key: benchKey.privateText,
        agent: null,
        password: null,
        byPassword: false,
      });
      expect(await shell.root()).toBe('free');
      shell.close();
    },
  );

  it('whose answers pass themselves off as others: an answer is what stands between its own lines', async () => {
    await begin();
    const { steps } = await bring(started, {
      steps: own('echo; echo "0 done rc=0"; printf "\\nx own.done begin\\n"; exit 3', 'true'),
    });
    expect(Object.values(steps)[0]!.state).toBe('failed');
  });
});

whenSandbox('what is cut', () => {
  afterEach(() => started.stop());

  it('a line that breaks in the middle of an update: the update goes on on the board, and is gone along with again', async () => {
    await begin();
    let cut = false;
    const { end, steps, output } = await bring(started, {
      steps: named('updates', 'leftovers'),
      onNote: (stepId, { state }) => {
        if (stepId !== 'updates' || state !== 'doing' || cut) return;
        cut = true;
        setTimeout(() => started.board.cutLines(), 400);
      },
    });
    expect(cut).toBe(true);
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(steps['updates']!.state).toBe('done');
    // It was installed once.
    expect(output.match(/Setting up tide-tables/g)).toHaveLength(1);
  });

  it('a line that breaks right after an update: what was done is told as done', async () => {
    await begin();
    let cut = false;
    const { end, steps, output } = await bring(started, {
      steps: named('updates'),
      onJob: (progress) => {
        if (progress !== null || cut) return;
        cut = true;
        started.board.cutLines();
      },
    });
    expect(output).toContain('the line broke; logging in again');
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(steps['updates']).toMatchObject({
      state: 'done',
      text: expect.stringMatching(/^3 packages upgraded/) as string,
    });
  });

  it('power that goes in the middle of an update: half-done packages are mended, and it is gone on with', async () => {
    await begin();
    await bring(started, { steps: named('first-boot') });
    // The state in which a board is that lost its power between unpacking and setting up (dpkg(1), "unpacked").
    await onBoard(
      'apt-get -q update >/dev/null 2>&1; apt-get -y -q -d upgrade >/dev/null 2>&1; dpkg --unpack /var/cache/apt/archives/tide-tables_*.deb >/dev/null 2>&1',
    );
    const { end, steps } = await bring(started, { steps: named('updates') });
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(steps['updates']!.state).toBe('done');
  });

  it('a step that takes long: whoever stops does not wait for it', async () => {
    await begin();
    const stopping = new AbortController();
    const begun = Date.now();
    const { end } = await bring(started, {
      steps: own('false', 'sleep 300', { seconds: 300 }),
      signal: stopping.signal,
      onNote: (_stepId, { state }) => {
        if (state === 'doing') setTimeout(() => stopping.abort(), 300);
      },
    });
    expect(end.state).toBe('stopped');
    expect(Date.now() - begun).toBeLessThan(200_000);
  });

  it('a program that dies after a reboot was ordered: who begins again sees by the boot that it was done', async () => {
    await begin();
    await bring(started, { steps: named('first-boot') });
    await onBoard('touch /run/reboot-required');
    const memory = new Map<string, StepMemory>();
    const dying = new AbortController();
    const first = bring(started, { steps: named('reboot'), memory, signal: dying.signal });
    while (!memory.has('reboot')) await new Promise((resolve) => setTimeout(resolve, 5));
    dying.abort();
    expect((await first).end.state).toBe('stopped');
    const kept = memory.get('reboot')!.bootId;
    const { steps } = await bring(started, { steps: named('reboot'), memory });
    expect(['well', 'done']).toContain(steps['reboot']!.state);
    expect(memory.get('reboot')!.bootId).toBe(kept);
  });

  it('taking the bench’s key off leaves a copy of the list alone that somebody keeps beside it, and takes away its own drafts', async () => {
    await begin();
    await bring(started, { steps: named('first-boot') });
    // The second is what a cut in the middle leaves.
    await onBoard(
      'cd /home/keeper/.ssh; cp -p authorized_keys authorized_keys.backup; cp -p authorized_keys authorized_keys.nest-mark.a1B2c3',
    );
    expect((await bring(started, { steps: named('key-off') })).end.state).toBe('ready');
    const [kept, draft] = await started
      .system()
      .read('/home/keeper/.ssh/authorized_keys.backup', '/home/keeper/.ssh/authorized_keys.nest-mark.a1B2c3');
    expect(kept).toContain('nest-mark-bench');
    expect(draft).toBe('');
  });

  it('a program that dies once the bench’s key is off: who begins again is locked out, and knows why', async () => {
    await begin();
    await bring(started, { steps: named('first-boot') });
    const memory = new Map<string, StepMemory>();
    const dying = new AbortController();
    const first = bring(started, { steps: named('key-off', 'shut-down'), memory, signal: dying.signal });
    while (!memory.has('key-off')) await new Promise((resolve) => setTimeout(resolve, 1));
    dying.abort();
    expect((await first).end.state).toBe('stopped');
    // Whether it came that far or not: now it did.
    await onBoard(`sed -i '/nest-mark-bench/d' /home/keeper/.ssh/authorized_keys`);
    const { end, steps } = await bring(started, { steps: named('key-off', 'shut-down'), memory });
    expect(steps['key-off']).toMatchObject({
      state: 'done',
      text: 'It is off the board, which lets it in no more.',
    });
    expect(end).toMatchObject({
      state: 'hand',
      message: expect.stringMatching(/^Shut down: The bench took its key off .* by hand/) as string,
    });
    expect((await bring(started, { steps: named('key-off'), memory })).end.state).toBe('ready');
    // Without that memory it is a board that lets nobody in.
    expect((await bring(started, { steps: named('key-off') })).end.state).toBe('hand');
  });

  /** Takes the bench's key off while the line breaks so many milliseconds after that began. */
  const cutAfter = async (milliseconds: number): Promise<void> => {
    await begin();
    await bring(started, { steps: named('first-boot') });
    let cut = false;
    const { end, steps } = await bring(started, {
      steps: named('key-off'),
      onNote: (_stepId, { state }) => {
        if (state !== 'doing' || cut) return;
        cut = true;
        setTimeout(() => started.board.cutLines(), milliseconds);
      },
    });
    expect({ milliseconds, ...end }).toEqual({ milliseconds, state: 'ready', message: '' });
    expect(steps['key-off']!.state).toBe('done');
    const [list] = await started.system().read('/home/keeper/.ssh/authorized_keys');
    expect(list).toBe(`${userKey.publicLine}\n`);
  };

  it('a line that breaks while the bench’s key is taken off: the same end', () => cutAfter(30));

  // What broke off may not know it for a moment, and breaks again at once whenever it is asked.
  long('a line that breaks at any moment while the bench’s key is taken off: the same end', async () => {
    for (let milliseconds = 0; milliseconds < 120; milliseconds += 4) {
      await cutAfter(milliseconds);
      await started.stop();
    }
    await begin();
  });

  it('a program that dies after a shut-down was ordered: who begins again finds the board off, and says so', async () => {
    await begin();
    await bring(started, { steps: named('first-boot') });
    const memory = new Map<string, StepMemory>();
    const dying = new AbortController();
    const first = bring(started, { steps: named('shut-down'), memory, signal: dying.signal });
    while (started.board.view.phase === 'online') await new Promise((resolve) => setTimeout(resolve, 5));
    dying.abort();
    // It may have seen the end of it already.
    expect(['stopped', 'ready']).toContain((await first).end.state);
    const place = { address: '127.62.41.250', port: 2222, hostKey: started.hostKey };
    const { end, steps } = await bring(started, {
      steps: named('health', 'shut-down'),
      memory,
      place: () => Promise.resolve(place),
    });
    expect(end).toEqual({ state: 'ready', message: '' });
    expect(steps['shut-down']).toMatchObject({
      state: 'done',
      text: expect.stringMatching(/its power may be cut/) as string,
    });
  });

  it('a board that somebody started again after its shut-down is not said to be off', async () => {
    await begin();
    const memory = new Map([['shut-down', { bootId: 'another boot' }]]);
    const { steps } = await bring(started, { steps: named('shut-down'), memory });
    expect(steps['shut-down']).toMatchObject({
      state: 'failed',
      text: 'It was shut down, and somebody started it again since.',
    });
    expect(started.board.view.phase).toBe('online');
  });

  it('a line that breaks while the clock is set, or while leftovers are removed: the same end', async () => {
    await begin({ fault: 'slow-clock' });
    // One after the other: a cut of the first that comes late would hide the beginning of the second.
    for (const step of ['clock', 'leftovers']) {
      let cut = false;
      const { end } = await bring(started, {
        steps: named(step),
        onNote: (_stepId, { state }) => {
          if (state !== 'doing' || cut) return;
          cut = true;
          setTimeout(() => started.board.cutLines(), 50);
        },
      });
      expect([step, cut]).toEqual([step, true]);
      expect(end).toEqual({ state: 'ready', message: '' });
    }
    const { steps } = await bring(started, { steps: named('clock', 'leftovers') });
    expect(Object.values(steps).map(({ state }) => state)).toEqual(['well', 'well']);
  });

  it('a bench key is not taken off where nobody could log in afterwards', async () => {
    await begin();
    await bring(started, { steps: named('first-boot') });
    await onBoard(`sed -i '/mara@bench/d' /home/keeper/.ssh/authorized_keys`);
    const { steps } = await bring(started, { steps: named('key-off') });
    expect(steps['key-off']).toMatchObject({
      state: 'differs',
      text: expect.stringMatching(/nobody could log in/) as string,
    });
  });
});

describe('every shipped command', () => {
  it('is POSIX shell without a complaint of shellcheck', async () => {
    const {
      questionScript,
      jobQuestion,
      jobLeftQuestion,
      startJob,
      keyOffCommand,
      placeVpnFile,
      writeBootConfig,
    } = await import('@nest-mark/core/bring-up');
    const expected = { userName: 'keeper', bootLines: 'a=1', vpn: { member: {}, lacks: '' } } as never;
    const scripts = [
      questionScript(
        all.flatMap((step) => step.questions(expected)),
        'mark',
      ),
      ...all.flatMap((step) => step.questions(expected).map(({ command }) => command)),
      ...all.flatMap(({ change }) =>
        change?.kind === 'job' || change?.kind === 'vpn'
          ? [change.script]
          : change?.kind === 'commands'
            ? [change.command]
            : [],
      ),
      jobQuestion(0),
      jobLeftQuestion,
      startJob('updates', '#!/bin/sh\nexit 0\n'),
      keyOffCommand('AAAA'),
      placeVpnFile('[Interface]\n'),
      writeBootConfig({ path: '/boot/firmware/config.txt', text: 'a=1\n' }, 'a=2\n'),
    ];
    const path = join(process.env['TMPDIR'] ?? '/tmp', `nest-mark-steps-${String(process.pid)}.sh`);
    for (const script of scripts) {
      await writeFile(path, script);
      const complaint = await new Promise<string>((resolve) =>
        execFile(
          'shellcheck',
          // What is quoted is run by another shell, and a job's helpers are called by name.
          ['--shell=sh', '--severity=warning', '--exclude=SC2016,SC2034,SC2317', path],
          (_error, out, err) => resolve(out + err),
        ),
      );
      expect(`${script}\n${complaint}`).toBe(`${script}\n`);
    }
  });
});
