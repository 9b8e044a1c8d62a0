import { isOwnAddress } from '../src/net/subnet';
import { meetingOf, type OwnPlace } from '../src/locate/meeting';

const eth: OwnPlace = { name: 'eth0', address: '192.168.1.7', subnet: '192.168.1.0/24', wireless: false };
const wifi: OwnPlace = { name: 'wlan0', address: '10.0.8.4', subnet: '10.0.8.0/24', wireless: true };

describe('whether this computer and the boards can meet', () => {
  it('on the same network, by cable or by Wi-Fi', () => {
    const { meet, text, notes } = meetingOf([eth, wifi], '10.0.8.0/24');
    expect([meet, notes]).toEqual(['yes', []]);
    expect(text).toContain('This computer (10.0.8.4, by Wi-Fi) and the boards share 10.0.8.0/24.');
    expect(text).toContain('keep their clients apart');
  });

  it('on different networks it says which, and what to do', () => {
    expect(meetingOf([eth], '10.0.8.0/24')).toEqual({
      meet: 'no',
      text: 'The boards are to appear on 10.0.8.0/24; this computer is on 192.168.1.0/24 (eth0, by cable). From here they cannot be heard: join their network, or paste its list. A search works only if a router leads there.',
      notes: [],
    });
  });

  it('a part of a network is that network', () => {
    expect(meetingOf([eth], '192.168.1.64/26').meet).toBe('yes');
    expect(meetingOf([eth], '192.168.0.0/16').text).toContain('share 192.168.1.0/24');
  });

  it('a way that leads out elsewhere, though this computer is on the network, is told as a VPN’s', () => {
    const by = (name: string) => meetingOf([wifi], '10.0.8.0/24', { interface: name, gateway: null }).notes;
    expect(by('wlan0')).toEqual([]);
    expect(by('tun0')).toEqual([
      'This computer is on 10.0.8.0/24, but sends what is for it out by tun0: a VPN has probably taken the way. End it, or have it leave this network alone; otherwise boards are heard and not reached.',
    ]);
    // A router leads to another network; stand-ins are on loopback.
    expect(meetingOf([eth], '10.0.8.0/24', { interface: 'eth0', gateway: '192.168.1.1' }).notes).toEqual([]);
    expect(by('lo')).toEqual([]);
  });

  it('without a subnet in the plan, and without any network', () => {
    expect(meetingOf([eth], '').meet).toBe('open');
    expect(meetingOf([eth], 'no subnet').meet).toBe('open');
    expect(meetingOf([], '10.0.8.0/24').meet).toBe('no');
  });

  it('notes an address that the system gave itself (RFC 3927), one network twice, and one too wide to search', () => {
    const self = { ...eth, address: '169.254.3.4', subnet: '169.254.0.0/16' };
    expect(meetingOf([self], '').notes).toEqual([
      'On eth0 this computer gave itself 169.254.3.4: nobody gives out addresses there, or the cable leads to a board alone.',
      '169.254.0.0/16 on eth0 is larger than what is searched address by address: listen there instead.',
    ]);
    expect(
      meetingOf([eth, { ...eth, name: 'wlan0', address: '192.168.1.8', wireless: true }], '').notes,
    ).toEqual([
      'This computer is on 192.168.1.0/24 twice. Answers may come in on the other side; switch one of the two off.',
    ]);
  });
});

describe('addresses that are somebody’s own network', () => {
  it.each([
    '10.0.0.5',
    '192.168.1.7',
    '172.16.0.1',
    '127.44.7.20',
    '169.254.3.4',
    'fe80::1%eth0',
    'fd00::5',
    '::1',
  ])('%s is one', (address) => expect(isOwnAddress(address)).toBe(true));

  it.each([
    '8.8.8.8',
    '172.32.0.1',
    '224.0.0.251',
    'fe80::1',
    '2001:db8::1',
    'ff02::fb%eth0',
    '10.0.0.5%eth0',
    'x',
    '',
  ])('"%s" is none', (address) => expect(isOwnAddress(address)).toBe(false));
});
