/**
 * Stand-ins for the programs of the tunnel, as a package of the practice repository brings them: in a scratch root there
 * is no network to open a tunnel in. They read the file as the real ones do, are as strict with its keys, and work keys
 * out by openssl (wg(8), wg-quick(8)).
 */

const wg = `#!/bin/sh
state=/run/board/tunnel
case $1 in
    pubkey)
        read -r key
        [ "$(printf %s "$key" | base64 -d 2>/dev/null | wc -c)" = 32 ] || {
            echo 'wg: Key is not the correct length or format' >&2
            exit 1
        }
        # PKCS #8 around an X25519 private key (RFC 8410, section 7).
        { printf '\\060\\056\\002\\001\\000\\060\\005\\006\\003\\053\\145\\156\\004\\042\\004\\040'; printf %s "$key" | base64 -d; } |
            openssl pkey -inform DER -pubout -outform DER | tail -c 32 | base64 ;;
    show)
        [ "$(/usr/bin/id -u)" = 0 ] || { echo 'Unable to access interface: Operation not permitted' >&2; exit 1; }
        [ -f "$state/$2" ] || { echo "Unable to access interface: No such device" >&2; exit 1; }
        case $3 in
            latest-handshakes) printf '%s\\t%s\\n' "$(sed -n 's/^PublicKey *= *//p' "$state/$2")" "$(cat /board/hub-met 2>/dev/null || echo 0)" ;;
            public-key) sed -n 's/^PrivateKey *= *//p' "$state/$2" | "$0" pubkey ;;
        esac ;;
esac
`;

const wgQuick = `#!/bin/sh
file=/etc/wireguard/$2.conf
state=/run/board/tunnel
case $1 in
    up)
        [ -f "$file" ] || { echo "wg-quick: \\\`$file' does not exist" >&2; exit 1; }
        [ ! -f /board/no-tunnel ] || { echo 'RTNETLINK answers: Operation not supported' >&2; echo 'Unable to access interface: Protocol not supported' >&2; exit 1; }
        for word in PrivateKey PublicKey; do
            sed -n "s/^$word *= *//p" "$file" | wg pubkey >/dev/null || exit 1
        done
        grep -q '^Address *= *[0-9]' "$file" || { echo 'Address is missing' >&2; exit 1; }
        mkdir -p "$state" && cp "$file" "$state/$2" ;;
    down) rm -f "$state/$2" ;;
esac
`;

export const tunnelPrograms: Readonly<Record<string, string>> = { wg, 'wg-quick': wgQuick };
