import * as z from 'zod';

const seconds = z.number().min(0).max(86_400);

/** The bench as a person has it: what the forecast of time is made from. Rates are in decimal megabytes a second. */
export const BenchPlanSchema = z.object({
  /** Card readers that work side by side, each with so many slots and so much of a line to the workstation. */
  readers: z.number().int().min(1).max(16).default(1),
  slots: z.number().int().min(1).max(64).default(4),
  /** Pairs of hands. */
  hands: z.number().int().min(1).max(20).default(1),
  /** What the slots of one reader share, for instance a USB port. */
  readerMBps: z.number().min(0.1).max(100_000).default(100),
  /** Book values of one card, used until this bench has measured its own. Class 10 is 10 MB/s sustained. */
  cardWriteMBps: z.number().min(0.1).max(10_000).default(20),
  cardReadMBps: z.number().min(0.1).max(10_000).default(40),
  useMeasured: z.boolean().default(true),
  /** Hands: taking a card out, the next one in, the first one into its board. */
  swapSeconds: seconds.default(20),
  /** Sockets under power at once; null for as many as the supplies have. */
  poweredPorts: z.number().int().min(1).max(1000).nullable().default(null),
  findSeconds: seconds.default(10),
  update: z.boolean().default(true),
  /** Downloaded by each board for its updates, in decimal megabytes. */
  updateMB: z.number().min(0).max(100_000).default(300),
  /** The line that all boards share, in megabits a second. */
  internetMbps: z.number().min(0.01).max(100_000).default(50),
  /** Unpacking and installing on a board of speed 1 (common practice: 8 to 12 minutes in all). */
  updateSeconds: seconds.default(480),
  rebootSeconds: seconds.default(40),
  /** Hands: logging in and looking whether it does what it should. */
  checkSeconds: seconds.default(60),
  shutDownSeconds: seconds.default(15),
});
export type BenchPlan = z.infer<typeof BenchPlanSchema>;
