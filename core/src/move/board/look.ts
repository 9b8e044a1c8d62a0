import { terseFields } from '../../air/nmcli-list';
import { NET_MANAGERS, type NetManager } from './commands';
import { MOVE_FOLDER, units } from './folder';
import { INTERFACE } from './supplicant';

/**
 * Where a board is in a move. `added`: the profile is there. `armed`: its return is. `gone`: it was told to switch. `kept`:
 * it was proved, and stays. `waits`: it stays on the old network until the new one is on the air. `returned`: it went back.
 */
export type MoveState = 'added' | 'armed' | 'gone' | 'kept' | 'waits' | 'returned';
const states: readonly string[] = ['added', 'armed', 'gone', 'kept', 'waits', 'returned'];

/** What a board is asked before anything is done: who rules its Wi-Fi, what it has saved, and where it is in a move. */
export const lookQuestion = `d=${MOVE_FOLDER}
if [ "$(systemctl is-active NetworkManager 2>/dev/null)" = active ] && command -v nmcli >/dev/null; then
    echo manager=networkmanager
    nmcli -t -f NAME,UUID,TYPE,AUTOCONNECT,AUTOCONNECT-PRIORITY,ACTIVE connection show | sed 's/^/saved=/'
elif [ "$(systemctl is-active iwd 2>/dev/null)" = active ] && command -v busctl >/dev/null; then
    echo manager=iwd
elif command -v wpa_cli >/dev/null && wpa_cli status >/dev/null 2>&1; then
    (
${INTERFACE}
    if [ -e /run/netplan/wpa-"$i".conf ] && command -v netplan >/dev/null; then
        echo manager=netplan
    else
        echo manager=wpa-supplicant
    fi
    wpa_cli -i "$i" list_networks 2>/dev/null | sed 's/^/listed=/'
    )
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
    if (key === 'manager') looked.manager = NET_MANAGERS.find((one) => one === value) ?? null;
    else if (key === 'saved') {
      const [name = '', , type = '', auto = '', priority = '', active = ''] = terseFields(value);
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
