import { setImmediate as breathe } from 'node:timers/promises';
import type { Drawn, Page } from '@nest-mark/core';
import PDFDocument from 'pdfkit';
import { measure, stretches } from './type';

/** Points in a millimetre (PostScript points, 72 an inch). */
const POINT = 72 / 25.4;
/** Drawn things after which others get their turn: a file of hundreds of labels takes seconds. */
const AT_ONCE = 40;

function draw(doc: PDFKit.PDFDocument, one: Drawn): void {
  switch (one.kind) {
    case 'box':
      doc.rect(one.x, one.y, one.width, one.height);
      if (one.line > 0) doc.lineWidth(one.line);
      if (one.fill !== null && one.line > 0) doc.fillAndStroke(one.fill, '#000000');
      else if (one.fill !== null) doc.fill(one.fill);
      else doc.stroke('#000000');
      return;
    case 'fold':
      doc
        .moveTo(one.x, one.y)
        .lineTo(one.x + one.width, one.y)
        .lineWidth(0.15)
        .dash(1, { space: 1 });
      doc.stroke('#666666').undash();
      return;
    case 'pattern':
      doc
        .save()
        .translate(one.x, one.y)
        .scale(one.size / one.modules);
      // A path of boxes would leave hair lines between rows on some screens; a code is read all the same.
      doc.path(one.path).fill('#000000');
      doc.restore();
      return;
    case 'code':
      throw new Error('a code has to be inked first');
    case 'text': {
      const width = measure(one.text, one.face) * one.size;
      let x = one.anchor === 'middle' ? one.x - width / 2 : one.x;
      for (const { text, cut } of stretches(one.text, one.face)) {
        if (!cut) continue;
        // The pen is in millimetres already, so the type is as large as its number says.
        doc.font(cut.path).fontSize(one.size).fillColor(one.ink);
        doc.text(text, x, one.y, { lineBreak: false, baseline: 'alphabetic' });
        x += (cut.font.layout(text).advanceWidth / cut.font.unitsPerEm) * one.size;
      }
    }
  }
}

/**
 * Pages as a PDF with the shipped type in it. The same pages give the same octets. Others get their turn in between.
 * Letters that the type does not have are not drawn; ask `lettersMissing` before.
 */
export async function pdfOf(pages: readonly Page[], title: string): Promise<Buffer> {
  const doc = new PDFDocument({
    autoFirstPage: false,
    margin: 0,
    info: { Title: title, Creator: 'Nest Mark', CreationDate: new Date(2026, 0, 1) },
  });
  const chunks: Buffer[] = [];
  const whole = new Promise<void>((resolve, reject) => {
    doc.on('data', (chunk: Buffer) => chunks.push(chunk));
    doc.on('end', () => resolve());
    doc.on('error', reject);
  });
  // Whoever fails below is told there; this one must not be left without somebody who listens.
  whole.catch(() => undefined);
  let drawn = 0;
  for (const page of pages) {
    doc.addPage({ size: [page.width * POINT, page.height * POINT], margin: 0 });
    doc.scale(POINT);
    for (const one of page.drawn) {
      draw(doc, one);
      drawn += 1;
      if (drawn % AT_ONCE === 0) await breathe();
    }
  }
  doc.end();
  await whole;
  return Buffer.concat(chunks);
}
