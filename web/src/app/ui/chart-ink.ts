import { Chart } from 'chart.js';

/** Colours of the page for a drawing on a canvas, which does not see the style sheet. Sets the font as well. */
export function chartInk(): {
  ink: string;
  soft: string;
  line: string;
  clay: string;
  sheet: string;
  marsh: string;
} {
  const style = getComputedStyle(document.documentElement);
  const of = (name: string): string => style.getPropertyValue(name).trim();
  Chart.defaults.font.family = of('--text');
  return {
    ink: of('--ink'),
    soft: of('--ink-soft'),
    line: of('--line'),
    clay: of('--clay'),
    sheet: of('--sheet'),
    marsh: of('--marsh'),
  };
}
