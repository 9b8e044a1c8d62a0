import { shellWord } from '../../formats/shell/word';
import { nameOf, TAKE_OFF_REFUSED, type Commands, type NewNetwork } from './commands';

/**
 * iwd, asked over the system bus: its own client would take the key on a command line. What it knows are files
 * (iwd.network(5)), and it looks at them all the time. It has no priorities: of those that it knows it prefers who it was
 * on last. Its objects are called by the octets of a name.
 */

const BUS = 'net.connman.iwd';
const KNOWN_TYPES = ['psk', 'open', '8021x'] as const;
const typeOf = ({ security }: NewNetwork): string => (security === 'open' ? 'open' : 'psk');

/** Plain where a name has nothing but letters, digits, spaces, `-` and `_`; else its digits (iwd.network(5), "Naming"). */
const fileOf = (network: NewNetwork): string => {
  const name = nameOf(network) ?? '';
  const stem = /^[A-Za-z0-9 _-]+$/.test(name) ? name : `=${network.ssidHex}`;
  return `/var/lib/iwd/${stem}.${typeOf(network)}`;
};

/** A value of its files: spaces at its begin would be lost, backslashes begin an escape. */
const value = (text: string): string =>
  text.replaceAll('\\', '\\\\').replace(/^ +/, (spaces) => '\\s'.repeat(spaces.length));

const content = ({ security, hidden, key }: NewNetwork): string =>
  [
    ...(security === 'open'
      ? []
      : ['[Security]', security === 'wpa3-sae' ? `Passphrase=${value(key)}` : `PreSharedKey=${key}`, '']),
    '[Settings]',
    'AutoConnect=false',
    ...(hidden ? ['Hidden=true'] : []),
    '',
  ].join('\n');

/** The adapter that is in use, as `$s`; where none is, the first. */
const STATION = `s=
for p in $(busctl --list tree ${BUS} | grep -E '^/net/connman/iwd/[0-9]+/[0-9]+$'); do
    state=$(busctl get-property ${BUS} "$p" ${BUS}.Station State 2>/dev/null) || continue
    [ -n "$s" ] || s=$p
    case $state in *'"connected"'*) s=$p; break ;; esac
done
[ -n "$s" ] || exit 4`;

const CONNECTED = `busctl get-property ${BUS} "$s" ${BUS}.Station ConnectedNetwork 2>/dev/null | sed 's/^o "\\(.*\\)"$/\\1/'`;
const known = (network: NewNetwork): string => `/net/connman/iwd/${network.ssidHex}_${typeOf(network)}`;
const isThere = (path: string): string => `busctl --list tree ${BUS} | grep -qx "${path}"`;

/** Joins a network of the air by its path; it is looked for where it was not heard lately. */
const join = (path: string): string => `tries=0
until ${isThere(path)}; do
    tries=$((tries + 1))
    [ "$tries" -lt 15 ] || exit 6
    busctl call ${BUS} "$s" ${BUS}.Station Scan >/dev/null 2>&1
    sleep 2
done
said=$(busctl --timeout=45 call ${BUS} "${path}" ${BUS}.Network Connect 2>&1 >/dev/null) || {
    echo "$said"
    # After a wrong key it asks for another one, once, though the file has it by now (seen with 2.3).
    case $said in *'No Agent'*) busctl --timeout=45 call ${BUS} "${path}" ${BUS}.Network Connect >/dev/null ;; *) false ;; esac
}`;

export const iwd: Commands = {
  cannot: (network) => {
    if (network.security === 'wep') return 'iwd, which rules its Wi-Fi, knows no WEP. Take another way.';
    if (nameOf(network) === null)
      return 'The network’s name has octets that iwd, which rules its Wi-Fi, does not hear. Take another way.';
    return null;
  },
  add: (network) => `${STATION}
f=${shellWord(fileOf(network))}
umask 077
${CONNECTED} >"$d/old"
# One that it knows already, as where it came from, is used with the key that it has.
if [ ! -e "$f" ] || [ "$(cat "$d/file" 2>/dev/null)" = "$f" ]; then
    echo "$f" >"$d/file"
    printf %s ${shellWord(content(network))} >"$f.new" && mv -f "$f.new" "$f" && sync "$f" || exit 5
else
    rm -f "$d/file"
fi
tries=0
until ${isThere(known(network))}; do
    tries=$((tries + 1))
    [ "$tries" -lt 20 ] || exit 7
    sleep 0.5
done`,
  go: (network) => `${STATION}
${join(`$s/${network.ssidHex}_${typeOf(network)}`)}`,
  undo: (network) => `f=${shellWord(fileOf(network))}
[ "$(cat "$d/file" 2>/dev/null)" != "$f" ] || rm -f "$f" "$d/file"
${STATION}
old=$(cat "$d/old" 2>/dev/null)
# By itself it goes back to who it knows; who is there already would only be cut off.
if [ -n "$old" ] && [ "$(${CONNECTED})" != "$old" ]; then
    (
${join('$old')}
    )
fi`,
  isOn: (network) => `${STATION}
[ "$(${CONNECTED})" = "$s/${network.ssidHex}_${typeOf(network)}" ]`,
  keep: (
    network,
  ) => `busctl set-property ${BUS} ${known(network)} ${BUS}.KnownNetwork AutoConnect b true || exit 8
[ "$(busctl get-property ${BUS} ${known(network)} ${BUS}.KnownNetwork AutoConnect)" = 'b true' ] || exit 9`,
  takeOff: (network, oldHex) => `${STATION}
on=$(${CONNECTED})
case $on in */${network.ssidHex}_*) ;; *) exit ${String(TAKE_OFF_REFUSED.notOnNew)} ;; esac
gone=0
for type in ${KNOWN_TYPES.join(' ')}; do
    o=/net/connman/iwd/${oldHex}_$type
    { ${isThere('$o')}; } && [ "\${on##*/}" != "${oldHex}_$type" ] || continue
    busctl call ${BUS} "$o" ${BUS}.KnownNetwork Forget >/dev/null || exit ${String(TAKE_OFF_REFUSED.refused)}
    gone=$((gone + 1))
done`,
};
