import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { HOLDER } from '../src/air/holder';
import { readIwDev, readIwPhy } from '../src/air/iw';
import { readLease } from '../src/air/lease';
import { runProgram } from '../src/air/programs';

/**
 * The radio's own parts without a radio. With radios, hostapd and the real programs: `npm run soak -- radio-air`.
 */

describe('adapters as iw prints them (iw 5.19; recorded)', () => {
  it('are those of the usual kind, with who is on a network', () => {
    const text = `phy#1
	Interface mon0
		ifindex 7
		type monitor
	Interface wlan1
		ifindex 4
		wdev 0x100000001
		addr 02:00:00:00:01:00
		ssid Larch \\x20
		type managed
		channel 6 (2437 MHz), width: 20 MHz (no HT), center1: 2437 MHz
phy#0
	Unnamed/non-netdev interface
		wdev 0x2
		type P2P-device
	Interface wlan0
		ifindex 3
		type managed
`;
    expect(readIwDev(text)).toEqual([
      { name: 'wlan1', phy: 'phy1', joined: true },
      { name: 'wlan0', phy: 'phy0', joined: false },
    ]);
    expect(readIwDev('command failed: No such file or directory (-2)')).toEqual([]);
  });

  it('hear the bands of which a frequency is not switched off', () => {
    const text = `	Band 1:
		Frequencies:
			* 2412 MHz [1] (20.0 dBm)
			* 2484 MHz [14] (disabled)
	Band 2:
		Frequencies:
			* 5180 MHz [36] (disabled)
			* 5200.0 MHz [40] (23.0 dBm) (no IR)
	Band 4:
		Frequencies:
			* 5955 MHz [1] (disabled)
`;
    expect(readIwPhy(text)).toEqual(['2.4 GHz', '5 GHz']);
    expect(readIwPhy('')).toEqual([]);
  });

  it('an address that would be given is read with who is there for certain, and nothing of what is none', () => {
    // As busybox 1.35's udhcpc hands them to its script.
    expect(readLease('udhcpc: started\naddress=10.9.1.57\nmask=24\nrouter=10.9.1.1 10.9.1.1\n')).toEqual({
      address: '10.9.1.57',
      subnet: '10.9.1.57/24',
      hosts: ['10.9.1.1'],
    });
    expect(readLease('address=10.9.1.57\nmask=255.255.254.0\nrouter= 10.9.0.1')).toEqual({
      address: '10.9.1.57',
      subnet: '10.9.1.57/23',
      hosts: ['10.9.0.1'],
    });
    expect(readLease('address=10.9.1.57\nmask=\nrouter= \n')).toMatchObject({ subnet: '', hosts: [] });
    for (const text of ['', 'udhcpc: no lease, failing', 'address=', 'address=$(reboot)', 'mask=24'])
      expect(readLease(text)).toBeNull();
  });

  it('a program that is not there, that fails, and that takes too long are told apart', async () => {
    expect(await runProgram('nest-mark-no-such-program', [])).toMatchObject({ code: null });
    expect(await runProgram('sh', ['-c', 'echo why >&2; exit 7'])).toMatchObject({ code: 7, said: 'why\n' });
    await expect(runProgram('sleep', ['60'], { seconds: 0.2 })).rejects.toMatchObject({ fault: 'failed' });
    const abort = new AbortController();
    const going = runProgram('sleep', ['60'], { signal: abort.signal });
    abort.abort();
    await expect(going).rejects.toMatchObject({ fault: 'stopped' });
  });
});

describe('an adapter that is held for a trial', () => {
  let folder: string;
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'nest-mark-holder-'));
    mkdirSync(join(folder, 'bin'));
  });
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  const log = (): string[] => {
    const path = join(folder, 'log');
    return existsSync(path) ? readFileSync(path, 'utf8').trim().split('\n') : [];
  };
  /** Programs that write down what they are told, in place of those that would do it. */
  const put = (name: string, work: string): void =>
    writeFileSync(
      join(folder, 'bin', name),
      `#!/bin/sh\necho "${name} $*" >>${join(folder, 'log')}\n${work}\n`,
      { mode: 0o755 },
    );
  const programs = (managed: boolean, supplicant = 0): void => {
    put(
      'nmcli',
      `case "$*" in *NM-MANAGED*) echo ${managed ? 'yes' : 'no'} ;; *CON-UUID*) echo 626dd384 ;; esac`,
    );
    put('ip', 'case "$*" in *"-o link show"*) echo "3: wlan0: UP" ;; esac');
    // It goes on as a process of its own, as the real one does.
    put(
      'wpa_supplicant',
      `sleep 600 </dev/null >/dev/null 2>&1 & echo $! >${join(folder, 'held/pid')}; exit ${String(supplicant)}`,
    );
  };
  const hold = (adapter = 'wlan0'): ReturnType<typeof spawn> =>
    spawn('sh', ['-c', HOLDER, 'holder', adapter, join(folder, 'held')], {
      env: { PATH: `${join(folder, 'bin')}:${process.env['PATH'] ?? ''}` },
      stdio: ['pipe', 'pipe', 'ignore'],
      detached: true,
    });
  const line = async (child: ReturnType<typeof spawn>): Promise<string> => {
    const [data] = (await once(child.stdout!, 'data')) as [Buffer];
    return data.toString().trim();
  };
  const alive = (pid: number): boolean => {
    try {
      return process.kill(pid, 0);
    } catch {
      return false;
    }
  };

  it('is given back when its input ends: the supplicant is gone, and the profile that was in use is back', async () => {
    programs(true);
    const child = hold();
    expect(await line(child)).toBe('ready');
    const pid = Number(readFileSync(join(folder, 'held/pid'), 'utf8'));
    child.stdin!.end();
    await once(child, 'close');
    expect(alive(pid)).toBe(false);
    expect(existsSync(join(folder, 'held'))).toBe(false);
    const told = log();
    expect(told).toContain('nmcli device set wlan0 managed no');
    expect(told.slice(-2)).toEqual([
      'nmcli device set wlan0 managed yes',
      'nmcli --wait 40 connection up uuid 626dd384 ifname wlan0',
    ]);
  });

  it('is given back when who holds it is killed before it was ready, and nobody reads what it says', async () => {
    programs(true);
    const child = hold();
    child.stdout!.destroy();
    child.stdin!.destroy();
    await once(child, 'exit');
    expect(existsSync(join(folder, 'held'))).toBe(false);
    expect(log().slice(-2)[0]).toBe('nmcli device set wlan0 managed yes');
  });

  it('is left alone by a second one, and given back at once where no supplicant starts', async () => {
    programs(false);
    const first = hold();
    expect(await line(first)).toBe('ready');
    const second = hold();
    expect(await line(second)).toBe('taken');
    await once(second, 'exit');
    expect(existsSync(join(folder, 'held'))).toBe(true);
    first.stdin!.end();
    await once(first, 'close');
    expect(log().some((one) => one.includes('managed yes'))).toBe(false);

    programs(true, 1);
    const third = hold();
    expect(await line(third)).toBe('back');
    await once(third, 'exit');
    expect(third.exitCode).toBe(6);
    expect(log()).toContain('nmcli device set wlan0 managed yes');
  });

  it('waits for nothing when it is told to end by a signal', async () => {
    programs(false);
    const child = hold();
    expect(await line(child)).toBe('ready');
    child.kill('SIGTERM');
    child.kill('SIGHUP');
    // It goes on until its input ends.
    expect(existsSync(join(folder, 'held'))).toBe(true);
    child.stdin!.end();
    await once(child, 'close');
    expect(existsSync(join(folder, 'held'))).toBe(false);
  });

  it('that a supplicant of its own has is given back with each network on or off as it was, and nothing saved', async () => {
    programs(false);
    // The trial's network is listed from the second time on.
    put(
      'wpa_cli',
      `case "$*" in
    *status) echo wpa_state=COMPLETED ;;
    *list_networks)
        printf 'network id / ssid / bssid / flags\\n0\\tLarch\\tany\\t[CURRENT]\\n1\\tMixed\\tany\\t[DISABLED]\\n2\\tAway\\tany\\t[TEMP-DISABLED]\\n'
        if [ -e ${join(folder, 'added')} ]; then printf '3\\tTried\\tany\\t\\n'; else : >${join(folder, 'added')}; fi ;;
esac`,
    );
    const child = hold('nm-none0');
    // Here is no control socket to speak through, so it gives the adapter back at once.
    expect(await line(child)).toBe('back');
    await once(child, 'exit');
    expect(child.exitCode).toBe(7);
    const told = log().filter((one) => one.startsWith('wpa_cli'));
    expect(told.filter((one) => /network \d/.test(one))).toEqual([
      'wpa_cli -i nm-none0 remove_network 3',
      'wpa_cli -i nm-none0 enable_network 0',
      'wpa_cli -i nm-none0 disable_network 1',
      'wpa_cli -i nm-none0 enable_network 2',
    ]);
    expect(told.some((one) => one.includes('save'))).toBe(false);
    expect(log().some((one) => one.includes('set dev nm-none0 down'))).toBe(false);
    expect(existsSync(join(folder, 'held'))).toBe(false);
  });
});
