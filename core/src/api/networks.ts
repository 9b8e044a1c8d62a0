import * as z from 'zod';
import { NetworkSchema, ShelvedNetworkSchema } from '../wifi/network';

/** A network to be made or saved; a key left out is kept, an empty one forgets it. */
export const SaveNetworkSchema = z.object({ network: NetworkSchema, secret: z.string().max(255).optional() });
export type SaveNetwork = z.infer<typeof SaveNetworkSchema>;

export const NetworkListSchema = z.array(ShelvedNetworkSchema);

/** A code to scan, as it is drawn: its side in modules, white included, and its dark parts as a path of SVG. */
export const CodePatternSchema = z.object({ modules: z.number().int().positive(), path: z.string() });
export type CodePattern = z.infer<typeof CodePatternSchema>;
