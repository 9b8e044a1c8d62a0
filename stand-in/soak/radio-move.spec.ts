import { preSharedKey, toHex, utf8, wifiProfile } from '@nest-mark/core';
import {
  addNetwork,
  armReturn,
  isOnNetwork,
  keepNetwork,
  lookQuestion,
  readLook,
  readTakenOff,
  switchOver,
  takeOffNetwork,
  tryReturn,
  type NetManager,
  type NewNetwork,
} from '@nest-mark/core/moving';
import { makeRadio, onRadio, partsOf } from './radio';

/**
 * Moves of boards over simulated radios with real hostapd 2.10, under a started systemd 252 with its timers, by each of the
 * programs that may rule their Wi-Fi: NetworkManager 1.42, netplan 0.106 with systemd-networkd, iwd 2.3, and
 * wpa_supplicant 2.10 alone. The power is cut for real: the machine is reset without a word.
 */

const id = '5b0e2c1a-8a0f-4f0e-9a36-2f1d7c3b9e10';
const NAME = 'New "Hall"; 2';
const network = (passphrase: string): NewNetwork => {
  const ssid = utf8(NAME);
  const key = preSharedKey(ssid, passphrase);
  return {
    moveId: id,
    uuid: id,
    ssidHex: toHex(ssid),
    hidden: false,
    security: 'wpa2-psk',
    key,
    keyfile: wifiProfile(
      { ssid, security: 'wpa2-psk', hidden: false, key, priority: 0 },
      { id: 'nest-mark-move', uuid: id, auto: false },
    ),
  };
};
const wrong = network('high tide at moon');
const right = network('high tide at noon');
const OLD = 'Bench';

/** How a board is set up whose networks are ruled so, and how it starts. */
const boards: Record<NetManager, { first: string; start: string; knows: string }> = {
  networkmanager: {
    first: `printf '[main]\\nplugins=keyfile\\n[keyfile]\\nunmanaged-devices=except:interface-name:wlan0\\n' >/etc/NetworkManager/NetworkManager.conf
cat >/etc/NetworkManager/system-connections/old.nmconnection <<'END'
${wifiProfile({ ssid: utf8(OLD), security: 'wpa2-psk', hidden: false, key: preSharedKey(utf8(OLD), 'low tide at seven'), priority: 30 }, { id: 'old', uuid: '626dd384-8b3d-3690-9511-192b2c79b3fd', auto: true })}
END
chmod 600 /etc/NetworkManager/system-connections/*`,
    start: 'systemctl start wpa_supplicant NetworkManager',
    knows: 'nmcli -t -f NAME,TYPE connection show | grep wireless | cut -d : -f 1 | sort',
  },
  netplan: {
    first: `cat >/etc/netplan/50-cloud-init.yaml <<'END'
network:
  version: 2
  wifis:
    wlan0:
      dhcp4: true
      access-points:
        "${OLD}": {password: "low tide at seven"}
END
chmod 600 /etc/netplan/*; netplan generate; systemctl daemon-reload; systemctl start systemd-networkd netplan-wpa-wlan0`,
    // Its generator does it at each start.
    start: 'true',
    knows: "sed -n 's/^  ssid=//p' /run/netplan/wpa-wlan0.conf | sort",
  },
  iwd: {
    first: `mkdir -p /var/lib/iwd
printf '[Match]\\nName=wlan0\\n[Network]\\nDHCP=ipv4\\n' >/etc/systemd/network/20-wlan.network
printf '[Security]\\nPassphrase=low tide at seven\\n' >/var/lib/iwd/${OLD}.psk`,
    start: 'systemctl start systemd-networkd iwd',
    knows: 'ls /var/lib/iwd | grep psk',
  },
  'wpa-supplicant': {
    first: `printf '[Match]\\nName=wlan0\\n[Network]\\nDHCP=ipv4\\n' >/etc/systemd/network/20-wlan.network
cat >/etc/wpa_supplicant/wpa_supplicant-wlan0.conf <<'END'
ctrl_interface=/run/wpa_supplicant
update_config=1
network={
	ssid="${OLD}"
	psk="low tide at seven"
	priority=30
}
END`,
    start: 'systemctl start systemd-networkd wpa_supplicant@wlan0',
    knows: "sed -n 's/^\\tssid=//p' /etc/wpa_supplicant/wpa_supplicant-wlan0.conf | sort",
  },
};

const known: Record<NetManager, readonly [both: string, alone: string]> = {
  networkmanager: ['nest-mark-move\nold', 'nest-mark-move'],
  netplan: [`"${OLD}"\n"${NAME}"`, `"${NAME}"`],
  iwd: [`=${right.ssidHex}.psk\n${OLD}.psk`, `=${right.ssidHex}.psk`],
  'wpa-supplicant': [`"${OLD}"\n"${NAME}"`, `"${NAME}"`],
};

const work = (manager: NetManager): string => {
  const { first, start, knows } = boards[manager];
  return `stage=$(cat /var/stage 2>/dev/null || echo 1)
next() { echo "$1" >/var/stage; sync /var/stage; echo b >/proc/sysrq-trigger; sleep 60; }
ap 1 ${OLD} 1 wpa=2 wpa_key_mgmt=WPA-PSK rsn_pairwise=CCMP 'wpa_passphrase=low tide at seven'
ap 2 '${NAME}' 6 wpa=2 wpa_key_mgmt=WPA-PSK rsn_pairwise=CCMP 'wpa_passphrase=high tide at noon'
[ "$stage" != 1 ] || { ${first}
}
${start}
on() { until_so "ip -o -4 addr show wlan0 | grep -q 'inet 10.9.$1.'" || exit 95; echo "on $1"; }
state() { cat /var/lib/nest-mark/move/state; }
do_it() { sh "./$1" >/run/told 2>>/share/said; echo "$1 $?"; cat /run/told; }
# Where both are on the air a start may show the other one for a moment.
settled() { sleep 8; ip -o -4 addr show wlan0 | sed -n 's/.*inet 10.9.\\([0-9]\\)[.].*/settled on \\1/p'; }
go_over() { do_it arm; do_it switch; }
case $stage in
1)
    echo "== start"; on 1; sh ./look
    echo "== wrong key"; do_it add-wrong; do_it try; until_so '[ "$(cat /var/lib/nest-mark/move/tried)" = abc ]'; do_it arm-short; do_it switch
    until_so 'state | grep -q returned'; on 1; systemctl is-active nest-mark-return.timer; ${knows}
    echo "== nobody proves it"; do_it add; do_it arm-short; do_it switch; on 2; until_so 'state | grep -q returned'; on 1; ${knows}
    echo "== cut"; do_it add; go_over; on 2; do_it is-on; next 2 ;;
2)
    echo "== after the cut"; on 1; settled
    echo "== kept"; do_it add; go_over; on 2; do_it is-on; do_it keep; state; systemctl is-active nest-mark-return.timer; next 3 ;;
3)
    echo "== after another"; on 2; settled; do_it is-on; ${knows}
    echo "== alone"; do_it off; ${knows}; next 4 ;;
*)
    echo "== at last"; on 2; settled; do_it is-on; ${knows} ;;
esac`;
};

const files = (manager: NetManager): Record<string, string> => ({
  look: lookQuestion,
  'add-wrong': addNetwork(manager, wrong),
  add: addNetwork(manager, right),
  try: tryReturn('abc'),
  arm: armReturn(right, 120),
  'arm-short': armReturn(right, 45),
  switch: switchOver,
  'is-on': isOnNetwork(manager, right),
  keep: keepNetwork(manager, right, 25, 'kept'),
  off: takeOffNetwork(manager, right, toHex(utf8(OLD))),
});

beforeAll(makeRadio, 600_000);

describe.each(Object.keys(boards) as NetManager[])('a board whose Wi-Fi is ruled by %s', (manager) => {
  it('moves over the radio, goes back by itself, and keeps what it has through cuts of the power', async () => {
    const told = partsOf(await onRadio(work(manager), files(manager)));
    const [both, alone] = known[manager];
    const old = both.split('\n').filter((name) => !alone.includes(name))[0] ?? '';
    expect(readLook(told['start'] ?? '')).toMatchObject({ manager, timers: true, move: null });
    expect(told['wrong key']).toMatch(
      new RegExp(`^add-wrong 0\\ntry 0\\narm-short 0\\nswitch 0\\non 1\\n(inactive|unknown)\\n${old}$`),
    );
    expect(told['nobody proves it']).toBe(`add 0\narm-short 0\nswitch 0\non 2\non 1\n${old}`);
    expect(told['cut']).toBe('add 0\narm 0\nswitch 0\non 2\nis-on 0');
    expect(told['after the cut']).toBe('on 1\nsettled on 1');
    expect(told['kept']).toMatch(
      new RegExp(`^add 0\\narm 0\\nswitch 0\\non 2\\nis-on 0\\nkeep 0\\n${id} kept\\n(inactive|unknown)$`),
    );
    expect(told['after another']).toBe(`on 2\nsettled on 2\nis-on 0\n${both}`);
    expect(readTakenOff(told['alone'] ?? '')).toBe(1);
    expect(told['alone']).toBe(`off 0\ngone 1\n${alone}`);
    expect(told['at last']).toBe(`on 2\nsettled on 2\nis-on 0\n${alone}`);
  }, 900_000);
});
