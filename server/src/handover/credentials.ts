import {
  credentialsCsv,
  credentialSlips,
  settingsOf,
  type Credential,
  type CredentialsWanted,
} from '@nest-mark/core';
import { devicePassword, sharedPassword } from '../plans';
import { problem } from '../platform/http/problems';
import { record } from '../platform/log/record';
import type { HandOver } from './domain';
import { gather } from './gather';
import type { HandedFile } from './handed-file';
import { needLetters } from './labels';
import { pdfOf } from './paper/pdf';
import { measure } from './paper/type';
import { sealFor } from './sealed/seal-for';

/** Passwords of devices that let people in by one; devices whose secrets were forgotten have none any more. */
async function credentialsOf(
  handover: HandOver,
  batchId: string,
  among: readonly string[] | null,
): Promise<{ slug: string; credentials: (Credential & { id: string })[] }> {
  const { plan, slug, devices } = await gather(handover, batchId);
  const gone = new Set(
    (await handover.repository.handed(batchId)).flatMap(({ deviceId, secretsForgottenAt }) =>
      secretsForgottenAt === null ? [] : [deviceId],
    ),
  );
  const shared =
    plan.access.passwordScope === 'shared' ? await sharedPassword(handover.plans, batchId) : null;
  const credentials: (Credential & { id: string })[] = [];
  for (const device of plan.devices) {
    if ((among !== null && !among.includes(device.id)) || gone.has(device.id)) continue;
    if (!settingsOf(plan, device).passwordLogin) continue;
    const password =
      plan.access.passwordScope === 'each' ? await devicePassword(handover.plans, device.id) : shared;
    const facts = devices.find(({ id }) => id === device.id);
    if (password === null || !facts) continue;
    credentials.push({ ...facts, password });
  }
  return { slug, credentials };
}

const waysOut = {
  slips: 'on a slip of paper',
  table: 'in a table for a password manager',
  sealed: 'in a sealed file',
} as const;

/**
 * Makes the file by which credentials leave the bench. Whose password left, how, and who asked for it is in the log before
 * the file is.
 * @throws Problem
 */
export async function credentialsFile(
  handover: HandOver,
  batchId: string,
  wanted: CredentialsWanted,
  who: string,
): Promise<HandedFile> {
  const { slug, credentials } = await credentialsOf(handover, batchId, wanted.deviceIds);
  if (credentials.length === 0) throw problem('no-credentials');
  const file = await made(wanted, slug, credentials);
  await record(
    handover,
    ...credentials.map(({ id, hostName }) => ({
      kind: 'revealed',
      batchId,
      deviceId: id,
      text: `The password of ${hostName} left the bench ${waysOut[wanted.form]}; asked for by ${who}.`,
    })),
  );
  return file;
}

async function made(
  wanted: CredentialsWanted,
  slug: string,
  credentials: readonly Credential[],
): Promise<HandedFile> {
  switch (wanted.form) {
    case 'slips': {
      const pages = credentialSlips(credentials, measure);
      needLetters(pages);
      return {
        fileName: `slips.${slug}.pdf`,
        type: 'application/pdf',
        content: await pdfOf(pages, 'Credentials'),
      };
    }
    case 'table':
      return { fileName: `credentials.${slug}.csv`, type: 'text/csv', content: credentialsCsv(credentials) };
    case 'sealed':
      return {
        fileName: `credentials.${slug}.csv.age`,
        type: 'text/plain',
        content: await sealFor(credentialsCsv(credentials), wanted.recipients, wanted.passphrase),
      };
  }
}
