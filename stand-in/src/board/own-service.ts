/** Where the responder of a board reads what it is to announce (avahi.service(5)). */
export const SERVICES_FILE = '/etc/avahi/services/nest-mark.service';

/** The mark that a service file has the responder tell; null where there is none. */
export function markToldBy(files: readonly { path: string; content: string }[]): string | null {
  const content = files.find(({ path }) => path === SERVICES_FILE)?.content ?? '';
  if (!content.includes('<type>_nestmark._tcp</type>')) return null;
  return /<txt-record>mark=([^<]*)<\/txt-record>/.exec(content)?.[1] ?? null;
}
