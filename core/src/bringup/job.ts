import { shellWord } from '../formats/shell/word';

/**
 * Work on a board that takes minutes: it runs as a service of the board's own, so that a cut line harms nothing, and it
 * leaves what became of it in files. It is started from a script file and never from a line of shell, because systemd
 * writes such lines into a unit and reads them back otherwise (seen with systemd 252).
 */

/** Where a board keeps what a job left, and the service's name. */
export const jobPlaces = { folder: '/var/lib/nest-mark/job', unit: 'nest-mark-job' } as const;

/** The first and last lines of a job: where it writes, and its end once it has one. */
export const jobScript = (work: string): string => `#!/bin/sh
umask 022
LC_ALL=C
DEBIAN_FRONTEND=noninteractive
NEEDRESTART_SUSPEND=1
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
export LC_ALL DEBIAN_FRONTEND NEEDRESTART_SUSPEND PATH
d=${jobPlaces.folder}
exec >>"$d/log" 2>&1 </dev/null
phase() { printf 'phase:%s\\n' "$1" >>"$d/status"; }
end() {
    sync
    echo "$1" >"$d/rc.new" && mv -f "$d/rc.new" "$d/rc"
    exit "$1"
}
${work}
end 0
`;

/**
 * Starts a job, as root. One that runs already is left alone: its unit's name is the lock, and the folder of files is
 * made anew only by who has it.
 * @param name what the job is, told again by `jobQuestion`
 * @param lent port of the board's loopback through which packages come; null where it has a line of its own
 */
export const startJob = (
  name: string,
  script: string,
  lent: number | null = null,
): string => `d=${jobPlaces.folder}
systemctl is-active --quiet ${jobPlaces.unit}.service && { echo running; exit 0; }
mkdir -p "$d" && chmod 711 /var/lib/nest-mark && chmod 700 "$d" && rm -f "$d/rc" "$d/status" "$d/log" "$d/upgrades" "$d/octets" "$d/proxy" || exit 1
${lent === null ? ':' : lendToJob(lent)}
printf %s ${shellWord(name)} >"$d/name"
cat /proc/sys/kernel/random/boot_id >"$d/boot"
: >"$d/status"
: >"$d/log"
printf %s ${shellWord(script)} >"$d/run.new" && chmod 700 "$d/run.new" && mv -f "$d/run.new" "$d/run" || exit 1
if command -v systemd-run >/dev/null 2>&1; then
    systemd-run --quiet --unit=${jobPlaces.unit} --collect "$d/run" && echo started
else
    setsid nohup "$d/run" >/dev/null 2>&1 </dev/null &
    echo started
fi`;

/** Tells a job by which port of the board's loopback packages come from now on; nobody where there is none. */
export function lendToJob(port: number): string {
  const file = `${jobPlaces.folder}/proxy`;
  return `[ ! -d ${jobPlaces.folder} ] || { echo http://127.0.0.1:${String(port)} >${file}.new && mv -f ${file}.new ${file}; }`;
}

/** Octets of a job's log that are read at a time. */
export const JOB_PIECE = 32_768;

/** How far a job is, with what is new of its log. @param from octets of the log that were read before */
export const jobQuestion = (from: number): string => `d=${jobPlaces.folder}
printf 'active=%s\\n' "$(systemctl is-active ${jobPlaces.unit}.service)"
printf 'name=%s\\n' "$(cat "$d/name" 2>/dev/null)"
printf 'rc=%s\\n' "$(cat "$d/rc" 2>/dev/null)"
[ "$(cat "$d/boot" 2>/dev/null)" = "$(cat /proc/sys/kernel/random/boot_id)" ] && echo same=yes
size=$(wc -c <"$d/log" 2>/dev/null)
printf 'size=%s\\n' "$size"
tail -n 4 "$d/status" 2>/dev/null | sed 's/^/status=/'
echo log=
# No octet behind the size that was told: the log grows meanwhile, and the next piece begins there.
new=$((\${size:-0} - ${String(from)}))
[ "$new" -gt ${String(JOB_PIECE)} ] && new=${String(JOB_PIECE)}
[ "$new" -gt 0 ] && tail -c +${String(from + 1)} "$d/log" 2>/dev/null | head -c "$new"
true`;

export interface JobState {
  name: string;
  /** `cut`: it is gone and left no end, since the board restarted or something killed it. */
  state: 'none' | 'running' | 'ended' | 'cut';
  /** Exit code, when it ended. */
  code: number | null;
  /** Octets of its log by now. */
  size: number;
  progress: JobProgress | null;
  /** What is new of the log. */
  log: string;
}

/** How far a job's present phase is; each phase goes from nothing to all by itself. */
export interface JobProgress {
  phase: 'begin' | 'lists' | 'download' | 'install' | 'clean';
  /** 0 to 1. */
  share: number;
  /** What it is at, or what went wrong. */
  text: string;
}

/**
 * The last lines of a status file: phases of our own, and lines of the package manager's status channel
 * (APT::Status-Fd; apt's documentation, "progress-reporting"): kind, package or count, percent, text, parted by the
 * first three colons.
 */
export function readProgress(lines: readonly string[]): JobProgress | null {
  let now: JobProgress | null = null;
  for (const line of lines) {
    const [, phase = ''] = /^phase:(lists|download|install|clean)$/.exec(line) ?? [];
    if (phase !== '') now = { phase: phase as JobProgress['phase'], share: 0, text: '' };
    const [, kind = '', , percent = '', text = ''] = /^(\w+):([^:]*):([\d.]+):(.*)$/.exec(line) ?? [];
    if (kind === '') continue;
    const share = Math.min(1, Math.max(0, Number(percent) / 100)) || 0;
    if (kind === 'dlstatus') now = { phase: now?.phase === 'lists' ? 'lists' : 'download', share, text };
    else if (kind === 'pmstatus' || kind === 'pmconffile') now = { phase: 'install', share, text };
    else if (kind === 'pmerror') now = { phase: 'install', share, text: `failed: ${text}` };
  }
  return now;
}

/** Reads what `jobQuestion` printed. */
export function readJob(text: string): JobState {
  const at = text.indexOf('log=\n');
  const head = (at < 0 ? text : text.slice(0, at)).split('\n');
  const value = (key: string): string =>
    head.find((line) => line.startsWith(`${key}=`))?.slice(key.length + 1) ?? '';
  const code = /^\d{1,3}$/.test(value('rc')) ? Number(value('rc')) : null;
  const active = ['active', 'activating', 'deactivating'].includes(value('active'));
  const known = value('name') !== '';
  return {
    name: value('name'),
    state: !known ? 'none' : code !== null ? 'ended' : active && value('same') === 'yes' ? 'running' : 'cut',
    code,
    size: Number(value('size')) || 0,
    progress: readProgress(
      head.filter((line) => line.startsWith('status=')).map((line) => line.slice('status='.length)),
    ),
    log: at < 0 ? '' : text.slice(at + 'log=\n'.length),
  };
}

/** What a job changed and how much it fetched, as it left it. */
export const jobLeftQuestion = `cat ${jobPlaces.folder}/upgrades 2>/dev/null
printf 'octets=%s\\n' "$(cat ${jobPlaces.folder}/octets 2>/dev/null)"`;
