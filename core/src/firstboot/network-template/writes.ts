import { utf8 } from '../../bytes';
import type { BaseFiles, CardFile, FirstBootSettings } from '../settings';
import { supplicantLines } from '../supplicant-file';

/**
 * A commented text file that an image ships: blocks as in wpa_supplicant.conf(5) with a comment sign before each line.
 * The block of the right kind is uncommented and filled in; everything else stays as it is.
 */

const opens = /^[ \t]*#*[ \t]*network[ \t]*=[ \t]*\{[ \t]*$/;
const closes = /^[ \t]*#*[ \t]*\}[ \t]*$/;
const commented = /^[ \t]*#+[ \t]*network[ \t]*=[ \t]*\{/m;
const countryLine = /^[ \t]*#*[ \t]*country[ \t]*=[ \t]*[A-Za-z]{0,2}[ \t]*$/;

/** Path of the template, or null when the image ships none. */
export function templatePath(texts: BaseFiles['texts']): string | null {
  for (const [path, text] of texts)
    if (/\.(txt|conf)$/i.test(path) && path.toLowerCase() !== 'wpa_supplicant.conf' && commented.test(text))
      return path;
  return null;
}

interface Block {
  from: number;
  to: number;
  kind: 'open' | 'wep' | 'psk';
}

function blocksOf(lines: readonly string[]): Block[] {
  const blocks: Block[] = [];
  let from = -1;
  for (const [at, line] of lines.entries()) {
    if (opens.test(line)) from = at;
    if (from < 0 || !closes.test(line)) continue;
    const text = lines.slice(from, at + 1).join('\n');
    blocks.push({
      from,
      to: at,
      kind: /wep_key/.test(text) ? 'wep' : /key_mgmt\s*=\s*NONE/.test(text) ? 'open' : 'psk',
    });
    from = -1;
  }
  return blocks;
}

const kindOf = (security: FirstBootSettings['networks'][number]['security']): Block['kind'] =>
  security === 'open' ? 'open' : security === 'wep' ? 'wep' : 'psk';

/** The template with the plan's networks in the place of the blocks of their kinds. */
export function fillTemplate(text: string, { networks, country }: FirstBootSettings): string {
  const ends = text.includes('\r\n') ? '\r\n' : '\n';
  let lines = text.split(/\r?\n/);
  const sorted = [...networks].sort((a, b) => b.priority - a.priority);
  const filled = (at: number): string[] => {
    const network = sorted[at];
    return network ? ['network={', ...supplicantLines(network).map((line) => `  ${line}`), '}'] : [];
  };
  const blocks = blocksOf(lines);
  const taken = new Map<Block, number[]>();
  const left: number[] = [];
  for (const [at, { security }] of sorted.entries()) {
    const block = blocks.find(({ kind }) => kind === kindOf(security)) ?? blocks[0];
    if (block) taken.set(block, [...(taken.get(block) ?? []), at]);
    else left.push(at);
  }
  // From the end, so that line numbers before stay right.
  for (const block of [...blocks].reverse()) {
    const places = taken.get(block);
    if (places) lines.splice(block.from, block.to - block.from + 1, ...places.flatMap(filled));
  }
  lines = [...lines, ...left.flatMap(filled)];
  const at = lines.findIndex((line) => countryLine.test(line));
  if (networks.length > 0) {
    if (at >= 0) lines[at] = `country=${country}`;
    else
      lines.splice(
        Math.max(
          0,
          lines.findIndex((line) => opens.test(line) && !line.trim().startsWith('#')),
        ),
        0,
        `country=${country}`,
      );
  }
  return lines.join(ends);
}

/** The files of this method for one card. */
export function writeTemplate(settings: FirstBootSettings, base: BaseFiles): CardFile[] {
  const path = templatePath(base.texts);
  const text = path === null ? undefined : base.texts.get(path);
  return path === null || text === undefined ? [] : [{ path, content: utf8(fillTemplate(text, settings)) }];
}
