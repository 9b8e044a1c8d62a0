import { shellWord } from '../../formats/shell/word';
import type { NetManager, NewNetwork } from './commands';
import { MOVE_FOLDER, units } from './folder';
import { managers } from './managers';

/**
 * What is done on a board that moves. It ends where it began unless the bench proves it on the new network: the new
 * network's profile does not start by itself until then, so a cut of the power brings the old network back, and a timer
 * on the board goes back by itself. The timer starts a script file, never a line of shell: systemd writes such lines into
 * a unit and reads them back otherwise (seen with systemd 252, where such a return did nothing).
 */

/** Why a network cannot be put on by who rules a board's Wi-Fi; null where it can. */
export const cannotPutOn = (manager: NetManager, network: NewNetwork): string | null =>
  managers[manager].cannot(network);

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
(
${managers[manager].undo(network)}
)
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
