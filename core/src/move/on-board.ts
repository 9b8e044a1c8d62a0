import { shellWord } from '../bringup/shell-text';

/**
 * What is done on a board that moves. It ends where it began unless the bench proves it on the new network: the new
 * network's profile does not start by itself until then, so a cut of the power brings the old network back, and a timer
 * on the board goes back by itself. The timer starts a script file, never a line of shell: systemd writes such lines into
 * a unit and reads them back otherwise (seen with systemd 252, where such a return did nothing).
 */

/** Where a board keeps what a move left; all of it is root's alone. */
export const MOVE_FOLDER = '/var/lib/nest-mark/move';
const units = { back: 'nest-mark-return', trial: 'nest-mark-return-try', go: 'nest-mark-go' } as const;

/**
 * Where a board is in a move. `added`: the profile is there. `armed`: its return is. `gone`: it was told to switch. `kept`:
 * it was proved, and stays. `waits`: it stays on the old network until the new one is on the air. `returned`: it went back.
 */
export type MoveState = 'added' | 'armed' | 'gone' | 'kept' | 'waits' | 'returned';
const states: readonly string[] = ['added', 'armed', 'gone', 'kept', 'waits', 'returned'];

/** Who rules the Wi-Fi of a board, as far as is known here. */
export type NetManager = 'networkmanager' | 'wpa-supplicant';

/** The new network as its board gets it. */
export interface NewNetwork {
  /** Distinguishes moves; lower-case letters, digits and dashes. */
  moveId: string;
  /** Octets of its name, in hexadecimal digits. */
  ssidHex: string;
  hidden: boolean;
  security: 'open' | 'wep' | 'wpa2-psk' | 'wpa2-wpa3' | 'wpa3-sae';
  /** Digits of the key, or what stands for it in this security; empty for an open one. */
  key: string;
  /** NetworkManager's keyfile of it, with `autoconnect=false`. */
  keyfile: string;
  /** UUID in the keyfile. */
  uuid: string;
}

/** Steps of a manager, as lines of shell. `$d` is the folder of the move. */
interface Commands {
  /** Puts the network there; it does not start by itself. Holds the secret. */
  add(network: NewNetwork): string;
  /** Switches over now. */
  go(network: NewNetwork): string;
  /** Undoes `add` and `go` exactly. */
  undo(network: NewNetwork): string;
  /** Ends with 0 where the board is on it now. */
  isOn(network: NewNetwork): string;
  /** Makes it start by itself, above all others that are saved. */
  keep(network: NewNetwork, priority: number): string;
}

const profilePath = ({ moveId }: NewNetwork): string =>
  `/etc/NetworkManager/system-connections/nest-mark-${moveId}.nmconnection`;

/** Highest priority among what is saved; NetworkManager's own default is 0 (nm-settings(5), autoconnect-priority). */
const HIGHEST = `highest=$(nmcli -t -f UUID,AUTOCONNECT-PRIORITY connection show | awk -F: -v u="$uuid" '$1 != u && $2 + 0 > m { m = $2 + 0 } END { print m + 0 }')`;

const networkManager: Commands = {
  add: (network) => `f=${profilePath(network)}
umask 077
nmcli -t -f UUID,TYPE,DEVICE connection show --active | awk -F: '$2 ~ /wireless/ { print $1; exit }' >"$d/old"
printf %s ${shellWord(network.keyfile)} >"$f.new" && mv -f "$f.new" "$f" && sync "$f" || exit 5
nmcli connection load "$f" || exit 6
nmcli -t -f UUID connection show | grep -qx ${network.uuid} || exit 7`,
  go: ({ uuid }) => `nmcli --wait 45 connection up uuid ${uuid}`,
  undo: (network) => `old=$(cat "$d/old" 2>/dev/null)
# Who is there already would only be cut off.
if [ -n "$old" ] && ! nmcli -t -f UUID connection show --active | grep -qx "$old"; then
    nmcli --wait 45 connection up uuid "$old"
fi
nmcli connection delete uuid ${network.uuid} 2>/dev/null
rm -f ${profilePath(network)}`,
  isOn: ({ uuid }) => `nmcli -t -f UUID connection show --active | grep -qx ${uuid}`,
  keep: ({ uuid }, priority) => `uuid=${uuid}
${HIGHEST}
priority=${String(priority)}
[ "$highest" -lt "$priority" ] || priority=$((highest + 1))
nmcli connection modify uuid "$uuid" connection.autoconnect yes connection.autoconnect-priority "$priority" || exit 8
[ "$(nmcli -t -g connection.autoconnect connection show uuid "$uuid")" = yes ] || exit 9`,
};

/** A supplicant's value: text of digits needs no quotes, everything else is given as octets or quoted (wpa_supplicant.conf(5)). */
const supplicantLines = ({ ssidHex, hidden, security, key }: NewNetwork): string[] => [
  `ssid ${ssidHex}`,
  ...(hidden ? ['scan_ssid 1'] : []),
  ...(security === 'open'
    ? ['key_mgmt NONE']
    : security === 'wep'
      ? ['key_mgmt NONE', `wep_key0 ${key}`]
      : security === 'wpa3-sae'
        ? ['key_mgmt SAE', 'ieee80211w 2', `sae_password "${key}"`]
        : ['key_mgmt WPA-PSK', `psk ${key}`]),
];

/** The interface that the supplicant works on. */
export const INTERFACE = `i=$(wpa_cli interface 2>/dev/null | awk '/^Selected interface/ { gsub(/\\047/, "", $3); print $3; exit }')
[ -n "$i" ] || exit 4`;

/**
 * wpa_cli ends with 0 also when it is refused, so its word is read. Secrets go by its input and stand in no list of
 * processes. Nothing is saved before proof: a reconfigure, and any start of the board, forgets it.
 */
const supplicant: Commands = {
  add: (network) => `${INTERFACE}
n=$(wpa_cli -i "$i" add_network | tail -n 1)
case $n in '' | *[!0-9]*) exit 5 ;; esac
echo "$n" >"$d/network"
refused=$(sed "s/^set_network N /set_network $n /" <<'NEST-MARK' | wpa_cli -i "$i" | grep -c '^[> ]*FAIL'
${supplicantLines(network)
  .map((line) => `set_network N ${line}`)
  .join('\n')}
quit
NEST-MARK
)
[ "$refused" = 0 ] || { wpa_cli -i "$i" remove_network "$n" >/dev/null; exit 6; }`,
  go: () => `${INTERFACE}
wpa_cli -i "$i" select_network "$(cat "$d/network")" | grep -qx OK`,
  undo: () => `${INTERFACE}
wpa_cli -i "$i" reconfigure | grep -qx OK
rm -f "$d/network"`,
  isOn: () => `${INTERFACE}
[ "$(wpa_cli -i "$i" status | sed -n 's/^id=//p')" = "$(cat "$d/network")" ]`,
  keep: (_network, priority) => `${INTERFACE}
n=$(cat "$d/network") || exit 5
highest=0
for o in $(wpa_cli -i "$i" list_networks | awk -F'\\t' '$1 ~ /^[0-9]+$/ { print $1 }'); do
    p=$(wpa_cli -i "$i" get_network "$o" priority)
    case $p in '' | *[!0-9]*) continue ;; esac
    [ "$o" = "$n" ] || [ "$p" -le "$highest" ] || highest=$p
done
priority=${String(priority)}
[ "$highest" -lt "$priority" ] || priority=$((highest + 1))
wpa_cli -i "$i" set_network "$n" priority "$priority" | grep -qx OK || exit 6
wpa_cli -i "$i" enable_network all >/dev/null
wpa_cli -i "$i" save_config | grep -qx OK || exit 7
# It writes its file anew, readable by all.
for f in /etc/wpa_supplicant/wpa_supplicant-"$i".conf /etc/wpa_supplicant/wpa_supplicant.conf; do
    [ ! -f "$f" ] || chmod 600 "$f"
done`,
};

const managers: Record<NetManager, Commands> = {
  networkmanager: networkManager,
  'wpa-supplicant': supplicant,
};

/** What a board is asked before anything is done: who rules its Wi-Fi, what it has saved, and where it is in a move. */
export const lookQuestion = `d=${MOVE_FOLDER}
if [ "$(systemctl is-active NetworkManager 2>/dev/null)" = active ] && command -v nmcli >/dev/null; then
    echo manager=networkmanager
    nmcli -t -f NAME,UUID,TYPE,AUTOCONNECT,AUTOCONNECT-PRIORITY,ACTIVE connection show | sed 's/^/saved=/'
elif command -v wpa_cli >/dev/null && wpa_cli status >/dev/null 2>&1; then
    echo manager=wpa-supplicant
    wpa_cli list_networks 2>/dev/null | sed 's/^/listed=/'
fi
echo state=$(cat "$d/state" 2>/dev/null)
[ "$(cat "$d/boot" 2>/dev/null)" = "$(cat /proc/sys/kernel/random/boot_id)" ] && echo same=yes
echo timer=$(systemctl is-active ${units.back}.timer 2>/dev/null)
command -v systemd-run >/dev/null && echo timers=yes
true`;

/** A saved network, as the board tells it. */
export interface SavedNetwork {
  name: string;
  priority: number;
  active: boolean;
  /** Whether it starts by itself. */
  auto: boolean;
}

export interface Looked {
  manager: NetManager | null;
  saved: SavedNetwork[];
  /** The move that it is or was in, and where it is in it; null where there was none. */
  move: { id: string; state: MoveState } | null;
  /** Whether that was in the boot that runs now. */
  sameBoot: boolean;
  /** Whether its return is armed. */
  returns: boolean;
  /** Whether it has timers that outlive a login. */
  timers: boolean;
}

/** Fields of a terse line of nmcli: `:` in a value is `\\:` (nmcli(1), --terse). */
const fields = (line: string): string[] =>
  (line.match(/(?:\\.|[^:\\])*(?::|$)/g) ?? []).map((part) => part.replace(/:$/, '').replace(/\\(.)/g, '$1'));

/** Reads what `lookQuestion` printed. */
export function readLook(text: string): Looked {
  const looked: Looked = {
    manager: null,
    saved: [],
    move: null,
    sameBoot: false,
    returns: false,
    timers: false,
  };
  for (const line of text.split('\n')) {
    const [, key = '', value = ''] = /^([a-z]+)=(.*)$/.exec(line.trimEnd()) ?? [];
    if (key === 'manager' && (value === 'networkmanager' || value === 'wpa-supplicant'))
      looked.manager = value;
    else if (key === 'saved') {
      const [name = '', , type = '', auto = '', priority = '', active = ''] = fields(value);
      if (/wireless/.test(type))
        looked.saved.push({
          name: name.slice(0, 80),
          priority: Number(priority) || 0,
          active: active === 'yes',
          auto: auto === 'yes',
        });
    } else if (key === 'listed') {
      const [id = '', name = '', , flags = ''] = value.split('\t');
      if (/^\d+$/.test(id))
        looked.saved.push({
          name: name.slice(0, 80),
          priority: 0,
          active: flags.includes('[CURRENT]'),
          auto: !flags.includes('[DISABLED]'),
        });
    } else if (key === 'state') {
      const [id = '', state = ''] = value.split(' ');
      if (states.includes(state)) looked.move = { id, state: state as MoveState };
    } else if (key === 'same') looked.sameBoot = value === 'yes';
    else if (key === 'timer') looked.returns = value === 'active';
    else if (key === 'timers') looked.timers = value === 'yes';
  }
  return looked;
}

const head = (network: NewNetwork): string => `d=${MOVE_FOLDER}
state() { echo "${network.moveId} $1" >"$d/state.new" && mv -f "$d/state.new" "$d/state" && sync "$d/state"; }
`;

const script = (network: NewNetwork, work: string): string => `#!/bin/sh
LC_ALL=C
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
export LC_ALL PATH
${head(network)}exec >>"$d/log" 2>&1 </dev/null
${work}
`;

const placed = (name: string, content: string): string =>
  `printf %s ${shellWord(content)} >"$d/${name}.new" && chmod 700 "$d/${name}.new" && mv -f "$d/${name}.new" "$d/${name}" || exit 3`;

/** The return: it undoes everything, whatever it finds; `try` only says that it was started. */
const returnScript = (manager: NetManager, network: NewNetwork): string =>
  script(
    network,
    `if [ "$1" = try ]; then
    echo "$2" >"$d/tried"
    exit 0
fi
# Who was proved in this moment stays.
case $(cat "$d/state") in *' kept' | *' waits' | *' returned') exit 0 ;; esac
${managers[manager].undo(network)}
state returned
systemctl stop ${units.back}.timer 2>/dev/null || true`,
  );

/** Who sees at once that it cannot join goes back at once. */
const goScript = (manager: NetManager, network: NewNetwork): string =>
  script(network, `state gone\n(\n${managers[manager].go(network)}\n) || "$d/return" now`);

/**
 * Puts the new network beside what is saved, and the scripts of switching and of going back; as root, by the shell's
 * input alone, since it holds the network's key.
 */
export const addNetwork = (manager: NetManager, network: NewNetwork): string => `d=${MOVE_FOLDER}
mkdir -p "$d" && chmod 711 /var/lib/nest-mark && chmod 700 "$d" || exit 2
systemctl stop ${units.back}.timer ${units.go}.timer 2>/dev/null
: >"$d/log"
${head(network)}${placed('return', returnScript(manager, network))}
${placed('go', goScript(manager, network))}
cat /proc/sys/kernel/random/boot_id >"$d/boot"
${managers[manager].add(network)}
state added`;

/**
 * Has the board's own timer start the return once as a trial. @param nonce what `triedQuestion` then tells; letters and
 * digits
 */
export const tryReturn = (nonce: string): string => `d=${MOVE_FOLDER}
rm -f "$d/tried"
systemctl stop ${units.trial}.timer 2>/dev/null
systemd-run --quiet --unit=${units.trial} --collect --on-active=1 --timer-property=AccuracySec=100ms "$d/return" try ${nonce}`;

export const triedQuestion = `cat ${MOVE_FOLDER}/tried`;

/** Arms the return. Without the accuracy it may come a minute late (systemd.timer(5), AccuracySec). */
export const armReturn = (network: NewNetwork, seconds: number): string => `${head(network)}
systemctl stop ${units.back}.timer 2>/dev/null
systemd-run --quiet --unit=${units.back} --collect --on-active=${String(seconds)} --timer-property=AccuracySec=1s "$d/return" now || exit 4
[ "$(systemctl is-active ${units.back}.timer)" = active ] || exit 5
state armed`;

/** Switches in a moment, by a unit of its own: the login does not outlive it. */
export const switchOver = `systemd-run --quiet --unit=${units.go} --collect --on-active=1 --timer-property=AccuracySec=100ms ${MOVE_FOLDER}/go`;

/**
 * Ends with 0 where the board is on the new network. An address does not tell that where both networks have the same
 * range.
 */
export const isOnNetwork = (manager: NetManager, network: NewNetwork): string =>
  `d=${MOVE_FOLDER}\n${managers[manager].isOn(network)}`;

/**
 * Keeps the new network: takes the return back, and has the network start by itself. Ends with 20 where the return was
 * quicker.
 */
export const keepNetwork = (
  manager: NetManager,
  network: NewNetwork,
  priority: number,
  state: 'kept' | 'waits',
): string => `${head(network)}
systemctl stop ${units.back}.timer 2>/dev/null
[ "$(systemctl is-active ${units.back}.timer)" != active ] || exit 21
[ "$(systemctl is-active ${units.back}.service)" != active ] || exit 20
case $(cat "$d/state") in *' returned') exit 20 ;; esac
${managers[manager].keep(network, priority)}
state ${state}
rm -f "$d/return" "$d/go" "$d/old"`;

/** Goes back at once: for who was cut off in the middle, and for who changed their mind. */
export const returnNow = `[ ! -x ${MOVE_FOLDER}/return ] || ${MOVE_FOLDER}/return now`;
