import type { LabelSize } from '@nest-mark/core';

/** A number of a size of labels, as a field of the page. */
export interface MeasureField {
  id: string;
  label: string;
  of(size: LabelSize): number;
  with(size: LabelSize, value: number): LabelSize;
}

/** All of them, in the order in which one measures a sheet. */
export const labelMeasures: readonly MeasureField[] = [
  {
    id: 'label-width',
    label: 'Label, width',
    of: ({ label }) => label.width,
    with: (size, width) => ({ ...size, label: { ...size.label, width } }),
  },
  {
    id: 'label-height',
    label: 'Label, height',
    of: ({ label }) => label.height,
    with: (size, height) => ({ ...size, label: { ...size.label, height } }),
  },
  {
    id: 'page-width',
    label: 'Page, width',
    of: ({ page }) => page.width,
    with: (size, width) => ({ ...size, page: { ...size.page, width } }),
  },
  {
    id: 'page-height',
    label: 'Page, height',
    of: ({ page }) => page.height,
    with: (size, height) => ({ ...size, page: { ...size.page, height } }),
  },
  {
    id: 'left',
    label: 'From the left edge',
    of: ({ margin }) => margin.left,
    with: (size, left) => ({ ...size, margin: { ...size.margin, left } }),
  },
  {
    id: 'top',
    label: 'From the upper edge',
    of: ({ margin }) => margin.top,
    with: (size, top) => ({ ...size, margin: { ...size.margin, top } }),
  },
  {
    id: 'across',
    label: 'Gap across',
    of: ({ gap }) => gap.across,
    with: (size, across) => ({ ...size, gap: { ...size.gap, across } }),
  },
  {
    id: 'down',
    label: 'Gap down',
    of: ({ gap }) => gap.down,
    with: (size, down) => ({ ...size, gap: { ...size.gap, down } }),
  },
  {
    id: 'columns',
    label: 'Columns',
    of: ({ columns }) => columns,
    with: (size, columns) => ({ ...size, columns: Math.round(columns) }),
  },
  {
    id: 'rows',
    label: 'Rows',
    of: ({ rows }) => rows,
    with: (size, rows) => ({ ...size, rows: Math.round(rows) }),
  },
];
