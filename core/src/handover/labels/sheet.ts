import * as z from 'zod';

/** Millimetres, to a hundredth. */
const mm = (min: number, max: number): z.ZodNumber => z.number().min(min).max(max);

/** Sheets and rolls of labels, by their measures. */
export const LabelSizeSchema = z.object({
  title: z.string().trim().min(1, 'Give the labels a name.').max(80),
  /** The page, in mm. A roll is a page of one label. */
  page: z.object({ width: mm(5, 1200), height: mm(5, 1200) }),
  label: z.object({ width: mm(1, 1200), height: mm(1, 1200) }),
  /** From the page's left and upper edge to the first label, in mm. */
  margin: z.object({ left: mm(0, 600), top: mm(0, 600) }),
  /** Between two labels, in mm. */
  gap: z.object({ across: mm(0, 600), down: mm(0, 600) }),
  columns: z.number().int().min(1).max(50),
  rows: z.number().int().min(1).max(100),
});
export type LabelSize = z.infer<typeof LabelSizeSchema>;

const sheet = (
  title: string,
  [width, height]: [number, number],
  [left, top]: [number, number],
  [columns, rows]: [number, number],
  [across, down]: [number, number] = [0, 0],
): LabelSize => ({
  title,
  page: { width: 210, height: 297 },
  label: { width, height },
  margin: { left, top },
  gap: { across, down },
  columns,
  rows,
});

const roll = (width: number, height: number): LabelSize => ({
  title: `Roll, ${String(width)} × ${String(height)} mm`,
  page: { width, height },
  label: { width, height },
  margin: { left: 0, top: 0 },
  gap: { across: 0, down: 0 },
  columns: 1,
  rows: 1,
});

/** Sizes that are offered to begin with (common practice); measure your own, and save them. */
export const shippedLabelSizes: readonly LabelSize[] = [
  sheet('Sheet, 40 of 48.5 × 25.4 mm', [48.5, 25.4], [8, 21.5], [4, 10]),
  sheet('Sheet, 24 of 64 × 33.9 mm', [64, 33.9], [6.5, 12.9], [3, 8], [2.5, 0]),
  sheet('Sheet, 65 of 38.1 × 21.2 mm', [38.1, 21.2], [4.75, 10.7], [5, 13], [2.5, 0]),
  roll(50, 25),
  roll(40, 12),
  roll(62, 29),
];

/** Below this nothing that is read by eye or by a reader fits: a code of 7.3 mm, or two lines of 1.5 mm. */
const LEAST_MM = { width: 8, height: 5 };
/** Inaccuracy that a measured sheet may have. */
const SLACK_MM = 0.05;

/** What is wrong with a size of labels, in sentences; empty for nothing. */
export function labelSizeFaults({ page, label, margin, gap, columns, rows }: LabelSize): string[] {
  const faults: string[] = [];
  const far = (from: number, size: number, between: number, count: number): number =>
    from + count * size + (count - 1) * between;
  if (label.width < LEAST_MM.width || label.height < LEAST_MM.height)
    faults.push(
      `A label of ${String(label.width)} × ${String(label.height)} mm holds nothing that can be read. It takes ${String(LEAST_MM.width)} × ${String(LEAST_MM.height)} mm at least.`,
    );
  if (far(margin.left, label.width, gap.across, columns) > page.width + SLACK_MM)
    faults.push(
      `${String(columns)} columns reach ${far(margin.left, label.width, gap.across, columns).toFixed(1)} mm, and the page is ${String(page.width)} mm wide. Take fewer columns, or measure margin and gap again.`,
    );
  if (far(margin.top, label.height, gap.down, rows) > page.height + SLACK_MM)
    faults.push(
      `${String(rows)} rows reach ${far(margin.top, label.height, gap.down, rows).toFixed(1)} mm, and the page is ${String(page.height)} mm high. Take fewer rows, or measure margin and gap again.`,
    );
  return faults;
}

/** Where a label comes to lie. */
export interface LabelPlace {
  /** From zero. */
  page: number;
  /** Of its upper left corner, in mm. */
  x: number;
  y: number;
}

/**
 * Places for labels, row by row.
 * @param firstFree number of the first label of the first page that is still there, from one
 */
export function labelPlaces(size: LabelSize, count: number, firstFree: number): LabelPlace[] {
  const { label, margin, gap, columns, rows } = size;
  const onPage = columns * rows;
  const from = Math.min(Math.max(1, firstFree), onPage) - 1;
  return Array.from({ length: count }, (_, index) => {
    const at = from + index;
    const onThis = at % onPage;
    return {
      page: Math.floor(at / onPage),
      x: margin.left + (onThis % columns) * (label.width + gap.across),
      y: margin.top + Math.floor(onThis / columns) * (label.height + gap.down),
    };
  });
}
