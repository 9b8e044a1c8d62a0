import { comments, sortFit, type HandoverDevice } from './device';
import { screenAddress } from '../bringup/steps/remote-screen';
import { inComment } from '../plain-name';

/** Text between tags or in an attribute (XML 1.0, section 2.4). */
const escaped = (text: string): string =>
  inComment(text).replace(
    /[&<>"']/g,
    (letter) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&apos;' })[letter] ?? '',
  );

/** A host as it stands in an address (RFC 3986, section 3.2.2). */
const hostOf = ({ address, hostName }: HandoverDevice): string =>
  address === null ? `${hostName}.local` : address.includes(':') ? `[${address}]` : address;

const bookmark = (
  href: string,
  title: string,
  about: string,
): string => `    <bookmark href="${escaped(href)}">
      <title>${escaped(title)}</title>
      <desc>${escaped(about)}</desc>
    </bookmark>
`;

/**
 * Bookmarks for graphical clients, as XBEL 1.0 (XML Bookmark Exchange Language): one folder with an address of the scheme
 * `ssh` for each device (IANA, "URI Schemes"; its form is that of RFC 3986), and one of the scheme `vnc` (RFC 7869) for each
 * remote screen that its login carries here. They hold no secret. What is not valid is
 * left out, and a comment says so.
 */
export function bookmarks(devices: readonly HandoverDevice[], title: string): string {
  const { fit, remarks } = sortFit(devices);
  const entries = fit.map((device) => {
    const { userName, port, hostName, nest, mark, role } = device;
    const href = `ssh://${userName}@${hostOf(device)}${port === 22 ? '' : `:${String(port)}`}`;
    const about = `nest ${nest}, mark ${mark}${role === '' ? '' : `, ${role}`}`;
    return [
      bookmark(href, hostName, about),
      ...device.screens.flatMap((port) => {
        const address = screenAddress(port);
        return address === null
          ? []
          : [bookmark(address, `${hostName}, screen`, `${about}; first: ssh screen.${hostName}`)];
      }),
    ].join('');
  });
  // Two hyphens would end a comment (XML 1.0, section 2.5).
  const remark = comments('', remarks)
    .replace(/-(?=-)/g, '- ')
    .trim();
  return `<?xml version="1.0" encoding="UTF-8"?>
${remark === '' ? '' : `<!-- ${remark} -->\n`}<xbel version="1.0">
  <folder>
    <title>${escaped(title)}</title>
${entries.join('')}  </folder>
</xbel>
`;
}
