import * as z from 'zod';

/** How much a finding weighs: `stops` forbids writing, `warns` wants a look, `note` only informs. */
export const SeveritySchema = z.enum(['stops', 'warns', 'note']);
export type Severity = z.infer<typeof SeveritySchema>;

/** What a check says. */
export const FindingSchema = z.object({
  rule: z.string(),
  severity: SeveritySchema,
  /** Where: a field of the plan, as `country`, of a device, as `device.hostName`, or of a network, as `net.ssid`. */
  place: z.string(),
  /** The device concerned, if it is one. */
  deviceId: z.string().optional(),
  /** The network concerned, if it is one. */
  networkId: z.string().optional(),
  message: z.string(),
  reason: z.string(),
  fix: z.string(),
});
export type Finding = z.infer<typeof FindingSchema>;

/** Whether the findings forbid writing cards. */
export const stopsWriting = (findings: readonly Finding[]): boolean =>
  findings.some((finding) => finding.severity === 'stops');
