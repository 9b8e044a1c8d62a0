import type { Document, Part } from './document';

/** Text as it can stand in HTML, in an element or in a quoted attribute. */
const escaped = (text: string): string =>
  text
    .replace(/[&<>"']/g, (letter) => `&#${String(letter.charCodeAt(0))};`)
    .replace(/[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\u202a-\u202e\u2066-\u2069]/g, '·');

function part(one: Part): string {
  switch (one.kind) {
    case 'text':
      return `<p>${escaped(one.text)}</p>`;
    case 'facts':
      return `<dl>${one.facts.map(([name, value]) => `<dt>${escaped(name)}</dt><dd>${escaped(value)}</dd>`).join('')}</dl>`;
    case 'table':
      return `<table><thead><tr>${one.columns.map((title) => `<th>${escaped(title)}</th>`).join('')}</tr></thead><tbody>${one.rows
        .map((row) => `<tr>${row.map((cell) => `<td>${escaped(cell)}</td>`).join('')}</tr>`)
        .join('')}</tbody></table>`;
  }
}

const style = `body{font:16px/1.45 system-ui,sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem;color:#22303a;background:#fff}
h1{font-size:1.7rem}h2{font-size:1.25rem;border-bottom:1px solid #888;margin-top:2rem}h3{font-size:1rem;margin-top:1.5rem}
dl{display:grid;grid-template-columns:max-content 1fr;gap:.15rem 1rem}dt{color:#555}dd{margin:0;overflow-wrap:anywhere}
table{border-collapse:collapse;width:100%;font-size:.85rem}th,td{border:1px solid #bbb;padding:.2rem .4rem;text-align:left;vertical-align:top;overflow-wrap:anywhere}
@media print{body{margin:0;max-width:none}h2,h3{break-after:avoid}tr{break-inside:avoid}}`;

/** A page that stands alone: nothing is fetched, and nothing in it runs. */
export function documentHtml({ title, about, sections }: Document): string {
  const body = sections.map(
    (section) =>
      `<h${String(section.level + 1)}>${escaped(section.title)}</h${String(section.level + 1)}>${section.parts.map(part).join('')}`,
  );
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'"><title>${escaped(title)}</title><style>${style}</style></head>
<body><h1>${escaped(title)}</h1><p>${escaped(about)}</p>
${body.join('\n')}
</body></html>
`;
}
