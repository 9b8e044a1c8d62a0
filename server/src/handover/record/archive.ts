import { buffer } from 'node:stream/consumers';
import { documentHtml, documentPages, type Document } from '@nest-mark/core';
import { ZipFile } from 'yazl';
import type { HandOver } from '../domain';
import { pdfOf } from '../paper/pdf';
import { lettersMissing, measure } from '../paper/type';
import { installationKey, RECORD_NAMESPACE, RECORD_SIGNER, signRecord } from './installation-key';

const howToCheck = (missing: boolean, fingerprint: string): string => `How to check this record

record.html opens in any browser. ${missing ? 'record.pdf is not here: the shipped type lacks letters of these names, and a browser prints the page with them.' : 'record.pdf is the same for paper.'}
Both were signed by the installation of Nest Mark that made them. Its key has the fingerprint

    ${fingerprint}

Compare it with what that installation shows under Hand over, Record; allowed_signers holds the key itself. With OpenSSH:

    ssh-keygen -Y verify -f allowed_signers -I ${RECORD_SIGNER} -n ${RECORD_NAMESPACE} -s record.html.sig < record.html
`;

/** Letters that a PDF could not show are looked for in the whole of it, once. */
const needsOtherLetters = (document: Document): boolean =>
  lettersMissing([...new Set(JSON.stringify(document))].join('').replace(/[\x00-\x1f]/g, ''), 'plain') !== '';

/** A record as an archive: the page, the paper, their signatures, and how to check them. @throws VaultError */
export async function recordArchive(handover: HandOver, document: Document): Promise<Buffer> {
  const zip = new ZipFile();
  const files: [string, Buffer][] = [['record.html', Buffer.from(documentHtml(document))]];
  const missing = needsOtherLetters(document);
  if (!missing) files.push(['record.pdf', await pdfOf(documentPages(document, measure), document.title)]);
  for (const [name, content] of files) {
    zip.addBuffer(content, name);
    zip.addBuffer(Buffer.from(await signRecord(handover, content)), `${name}.sig`);
  }
  const { publicLine, fingerprint } = await installationKey(handover);
  zip.addBuffer(
    Buffer.from(`${RECORD_SIGNER} namespaces="${RECORD_NAMESPACE}" ${publicLine}\n`),
    'allowed_signers',
  );
  zip.addBuffer(Buffer.from(howToCheck(missing, fingerprint)), 'HOW-TO-CHECK.txt');
  zip.end();
  return buffer(zip.outputStream);
}
