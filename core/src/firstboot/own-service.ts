/** Where the common responder of multicast DNS reads what it is to announce (avahi.service(5)). */
export const OWN_SERVICE_PATH = '/etc/avahi/services/nest-mark.service';

/**
 * A service of our own with the mark of the card: one question then finds every board of a batch, whatever it calls
 * itself by then (RFC 6763 section 6; avahi.service(5): %h is the host name at that time).
 * @param mark digits and capital letters
 */
export const ownService = (mark: string): string => `<?xml version="1.0" standalone='no'?>
<!DOCTYPE service-group SYSTEM "avahi-service.dtd">
<service-group>
  <name replace-wildcards="yes">%h</name>
  <service>
    <type>_nestmark._tcp</type>
    <port>22</port>
    <txt-record>mark=${mark}</txt-record>
  </service>
</service-group>
`;
