import * as fc from 'fast-check';
import { readCell } from '../src/locate/tables/cells';
import { isCutName, readTable, TABLE_LIMIT, TableError } from '../src/locate/tables/read-table';
import { hardwareOfLinkLocal, isMadeUp, readHardwareAddress } from '../src/net/hardware-address';

const rows = (text: string) =>
  readTable(text).rows.map(({ address, hardwareAddress, name, gone }) => [
    address,
    hardwareAddress,
    name,
    ...(gone ? ['gone'] : []),
  ]);
const M12 = '00:00:5e:00:53:12';
const M14 = '00:00:5e:00:53:14';
const M15 = '00:00:5e:00:53:15';

describe('lists of hosts, as the programs of Debian 12 write them', () => {
  it('dnsmasq 2.90, its lease file', () => {
    expect(
      rows(
        `1795868973 ${M12} 10.8.0.118 node-2 01:${M12}\n1795868999 ${M14} 10.8.0.119 * ff:9c:ce:d9:f0\nduid 00:01:00:01:2c\n`,
      ),
    ).toEqual([
      ['10.8.0.118', M12, 'node-2'],
      ['10.8.0.119', M14, null],
    ]);
  });

  it('Kea 2.2, whose file is a journal: the last line counts, and a released lease is gone', () => {
    const head =
      'address,hwaddr,client_id,valid_lifetime,expire,subnet_id,fqdn_fwd,fqdn_rev,hostname,state,user_context';
    expect(
      rows(
        `${head}\n10.9.0.100,${M14},01:${M14},7200,1795868661,1,0,0,node-4,0,\n10.9.0.101,${M15},,7200,1795868662,1,0,0,no,0,\n10.9.0.100,${M14},01:${M14},0,1795868661,1,0,0,node-4,0,\n`,
      ),
    ).toEqual([
      ['10.9.0.101', M15, 'no'],
      ['10.9.0.100', M14, 'node-4', 'gone'],
    ]);
  });

  it('ISC dhcpd 4.4, its lease file', () => {
    const lease = (state: string): string =>
      `lease 10.9.0.100 {\n  starts 6 2026/11/28 10:24:46;\n  ends 6 2026/11/28 12:24:46;\n  binding state ${state};\n  next binding state free;\n  hardware ethernet ${M14};\n  uid "\\001\\000\\000^\\000S\\024";\n  client-hostname "node-4";\n}\n`;
    expect(rows(`# written by\nserver-duid "x";\n${lease('active')}`)).toEqual([
      ['10.9.0.100', M14, 'node-4'],
    ]);
    expect(rows(lease('active') + lease('free'))).toEqual([['10.9.0.100', M14, 'node-4', 'gone']]);
  });

  it('networkctl status, and dumpleases of busybox', () => {
    expect(
      rows(`Offered DHCP leases: 10.9.0.134 (to ${M14})\n                     10.9.0.135 (to ${M15})\n`),
    ).toEqual([
      ['10.9.0.134', M14, null],
      ['10.9.0.135', M15, null],
    ]);
    const list = rows(
      `Mac Address       IP Address      Host Name           Expires in\n${M14} 10.9.0.135      a-very-long-host-na 01:59:57\n`,
    );
    expect(list).toEqual([['10.9.0.135', M14, 'a-very-long-host-na']]);
    expect(isCutName('a-very-long-host-na', 'a-very-long-host-name-7')).toBe(true);
    expect(isCutName('tank-1', 'tank-12')).toBe(false);
  });

  it('ip neigh as text and as JSON (iproute2 6.1)', () => {
    expect(
      rows(
        `10.8.0.15 dev eth0 lladdr ${M15} STALE\n10.8.0.99 dev eth0 FAILED\nfe80::200:5eff:fe00:5315 dev eth0 lladdr ${M15} REACHABLE`,
      ),
    ).toEqual([
      ['10.8.0.15', M15, null],
      ['10.8.0.99', null, null, 'gone'],
      ['fe80::200:5eff:fe00:5315', M15, null],
    ]);
    expect(
      rows(
        JSON.stringify([
          { dst: '10.8.0.15', dev: 'eth0', lladdr: M15, state: ['STALE'] },
          { dst: '10.8.0.99', dev: 'eth0', state: ['FAILED'] },
        ]),
      ),
    ).toEqual(
      [
        ['10.8.0.99', null, null, 'gone'],
        ['10.8.0.15', M15, null],
      ].reverse(),
    );
  });

  it('arp and arp -an (net-tools); and, from memory, two other systems', () => {
    expect(rows(`? (10.8.0.15) at ${M15} [ether] on eth0\n? (10.8.0.81) at <incomplete> on eth0`)).toEqual([
      ['10.8.0.15', M15, null],
      ['10.8.0.81', null, null, 'gone'],
    ]);
    expect(
      rows(
        `Address                  HWtype  HWaddress           Flags Mask            Iface\n10.8.0.15                ether   ${M15}   C                     eth0\n`,
      ),
    ).toEqual([['10.8.0.15', M15, null]]);
    expect(rows('? (10.8.0.15) at 0:0:5e:0:53:15 on en0 ifscope [ethernet]')).toEqual([
      ['10.8.0.15', M15, null],
    ]);
    expect(
      rows(
        '  10.8.0.15             00-00-5e-00-53-15     dynamic\n  224.0.0.251           01-00-5e-00-00-fb     static\n  10.8.0.255            ff-ff-ff-ff-ff-ff     static\n',
      ),
    ).toEqual([['10.8.0.15', M15, null]]);
  });

  it('odhcpd, from memory: no hardware address in it', () => {
    expect(rows('# br-lan ffec6d50e2000200 1 node-5 1795868661 a08000f 32 10.8.0.15/32\n')).toEqual([
      ['10.8.0.15', null, 'node-5'],
    ]);
  });
});

describe('tables copied out of a page', () => {
  it('by tabs, with a heading; two dashes are no name', () => {
    expect(
      rows(
        `Device\tIP address\tMAC address\tType\nnode-5\t10.8.0.15\t${M15}\tWired\n--\t10.8.0.16\t${M14}\tWi-Fi\n`,
      ),
    ).toEqual([
      ['10.8.0.15', M15, 'node-5'],
      ['10.8.0.16', M14, null],
    ]);
  });

  it('as HTML, and one cell in a line, with odd blanks', () => {
    expect(
      rows(
        `<table><tr><th>Name</th><th>IP</th><th>MAC</th></tr><tr><td>node-5</td><td>10.8.0.15</td><td>${M15.toUpperCase()}</td></tr></table>`,
      ),
    ).toEqual([['10.8.0.15', M15, 'node-5']]);
    expect(rows(`node-5\n10.8.0.15\n${M15}\n\nnode-6\n\u00a010.8.0.16\u00a0\n${M14}\n`)).toEqual([
      ['10.8.0.15', M15, 'node-5'],
      ['10.8.0.16', M14, 'node-6'],
    ]);
  });

  it('semicolons, addresses with a prefix, names with a domain', () => {
    expect(rows(`node-5.lan;10.8.0.15/24;${M15};active\nnode-6.lan;10.8.0.16/24;${M14};active`)).toEqual([
      ['10.8.0.15', M15, 'node-5'],
      ['10.8.0.16', M14, 'node-6'],
    ]);
  });
});

describe('what is no list', () => {
  it.each(['', 'hello', 'no address\nin any line', '[1,2', '{}', '<tr>'])(
    '%j is refused with a sentence',
    (text) => {
      expect(() => readTable(text)).toThrow(TableError);
    },
  );

  it('one that is too long is refused', () => {
    expect(() => readTable('1'.repeat(TABLE_LIMIT + 1))).toThrow(/longer than 1024 KiB/);
  });

  it.each([
    ['lease blocks that never end', 'lease 10.0.0.1 {\n'.repeat(60_000)],
    ['opened tags', '<tr' + '<'.repeat(900_000)],
    ['one endless line', '10.0.0.1 '.repeat(110_000)],
    ['deep JSON', '['.repeat(500_000)],
  ])('%s are read in a moment', (_what, text) => {
    const began = performance.now();
    try {
      readTable(text);
    } catch (error) {
      expect(error).toBeInstanceOf(TableError);
    }
    // Against quadratic work, which takes minutes here; not a measurement.
    expect(performance.now() - began).toBeLessThan(60_000);
  });

  it('whatever it is made of: a list, or a sentence; values are addresses of hosts (fuzzed)', () => {
    const part = fc.constantFrom(
      ...[
        '10.0.0.5',
        '10.0.0.256',
        '224.0.0.1',
        M12,
        'ff:ff:ff:ff:ff:ff',
        'node-1',
        '*',
        '?',
        '{',
        '}',
        'lease ',
        '\t',
        '\n',
      ],
      ...[
        ',',
        ';',
        ' ',
        '<td>',
        '</tr>',
        '"',
        'fe80::1%eth0',
        '# ',
        '\u202e',
        '\0',
        'address,hwaddr,',
        'FAILED',
        '[',
        ']',
      ],
    );
    fc.assert(
      fc.property(fc.array(fc.oneof(part, fc.string()), { maxLength: 40 }), (parts) => {
        try {
          for (const { address, hardwareAddress, name } of readTable(parts.join('')).rows) {
            expect(address !== null || hardwareAddress !== null).toBe(true);
            if (address !== null) expect(readCell(address)).toEqual({ kind: 'address', value: address });
            if (hardwareAddress !== null) expect(readHardwareAddress(hardwareAddress)).toBe(hardwareAddress);
            if (name !== null) expect(name).toMatch(/^[A-Za-z0-9][\w-]*$/);
          }
        } catch (error) {
          if (!(error instanceof TableError)) throw error;
        }
      }),
      { numRuns: 3000, seed: 13 },
    );
  });
});

describe('hardware addresses', () => {
  it('are read in every form, and no group or empty one is (IEEE Std 802-2014, 8.2)', () => {
    for (const text of [M15, M15.toUpperCase(), '0:0:5e:0:53:15', '00-00-5e-00-53-15', '0000.5e00.5315'])
      expect(readHardwareAddress(text)).toBe(M15);
    for (const text of [
      '01:00:5e:00:00:fb',
      '00:00:00:00:00:00',
      '00:00:5e:00:53',
      '00:00:5e:00:53:15:16',
      '10:24:46',
    ])
      expect(readHardwareAddress(text)).toBeNull();
    expect([isMadeUp('02:00:00:00:00:01'), isMadeUp(M15)]).toEqual([true, false]);
  });

  it('stand in an address made of them (the example of RFC 4291, appendix A), and in no other', () => {
    expect(hardwareOfLinkLocal('fe80::3656:78ff:fe9a:bcde')).toBe('34:56:78:9a:bc:de');
    expect(hardwareOfLinkLocal('fe80::200:5eff:fe00:5315%eth0')).toBe(M15);
    expect(hardwareOfLinkLocal('fe80::1')).toBeNull();
    expect(hardwareOfLinkLocal('10.0.0.1')).toBeNull();
  });
});
