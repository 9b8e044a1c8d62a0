import * as z from 'zod';
import { nameOf } from '../plain-name';

/**
 * How an image takes its settings, as a person describes it: files, and what stands in them. An open JSON file with a
 * published schema (docs/own-method.schema.json); what it may say is here, whether it makes sense in `firstboot/own/faults.ts`.
 */

export const ownForms = ['settings', 'ini', 'yaml', 'text'] as const;
export type OwnForm = (typeof ownForms)[number];
export const ownFormTitles: Record<OwnForm, string> = {
  settings: 'Lines of key and value',
  ini: 'Sections with keys and values',
  yaml: 'YAML',
  text: 'Text as it stands, whole or between two marks',
};

/** How a value of the plan is written, so that its reader takes it for nothing else. */
export const quotings = ['plain', 'shell', 'json', 'percent', 'xml'] as const;
export type Quoting = (typeof quotings)[number];
export const quotingTitles: Record<Quoting, string> = {
  plain: 'As it is',
  shell: 'In single quotes, as a shell reads',
  json: 'In double quotes, as JSON reads',
  percent: 'Percent-encoded, as in web addresses',
  xml: 'With the entities of XML',
};

export const separators = ['=', ' = ', ': ', ' '] as const;
export type Separator = (typeof separators)[number];

export const eaches = ['once', 'network', 'user', 'key'] as const;
export type Each = (typeof eaches)[number];
export const eachTitles: Record<Each, string> = {
  once: 'once',
  network: 'each network',
  user: 'each further user',
  key: 'each SSH key',
};

export const whens = [
  'always',
  'wifi',
  'no-wifi',
  'password',
  'no-password',
  'keyboard',
  'wired',
  'no-wired',
  'secured',
  'open',
  'hidden',
] as const;
export type When = (typeof whens)[number];
export const whenTitles: Record<When, string> = {
  always: 'always',
  wifi: 'with Wi-Fi',
  'no-wifi': 'without Wi-Fi',
  password: 'with a password',
  'no-password': 'without a password',
  keyboard: 'with a keyboard',
  wired: 'wire set by hand',
  'no-wired': 'wire by itself',
  secured: 'with a key',
  open: 'open ones',
  hidden: 'hidden ones',
};

const ofNetwork: readonly When[] = ['secured', 'open', 'hidden'];
/** Conditions that make sense for an entry, by how often it stands there. */
export const whensFor = (each: Each): readonly When[] =>
  whens.filter((when) => each === 'network' || !ofNetwork.includes(when));

/** Words of a file for what is not a text; a kind of network without a word cannot be said in it. */
export const OwnWordsSchema = z.strictObject({
  yes: nameOf(40).default('yes'),
  no: nameOf(40).default('no'),
  open: nameOf(40).default(''),
  wep: nameOf(40).default(''),
  wpa2: nameOf(40).default(''),
  mixed: nameOf(40).default(''),
  wpa3: nameOf(40).default(''),
});
export type OwnWords = z.infer<typeof OwnWordsSchema>;
export const ownWordTitles: Record<keyof OwnWords, string> = {
  yes: 'yes',
  no: 'no',
  open: 'open network',
  wep: 'WEP',
  wpa2: 'WPA2',
  mixed: 'WPA2 and WPA3',
  wpa3: 'WPA3 only',
};

export const OwnEntrySchema = z.strictObject({
  /** Section of an INI file; empty in the others. */
  section: nameOf(120).default(''),
  /** Key; in YAML names with slashes between, `-` for one item of a list; empty in a text. */
  key: nameOf(200).default(''),
  /** What stands there, with the values of the plan as `<<name>>`. */
  value: z.string().max(4000),
  each: z.enum(eaches).default('once'),
  when: z.enum(whens).default('always'),
});
export type OwnEntry = z.infer<typeof OwnEntrySchema>;

export const OwnFileSchema = z.strictObject({
  /** On the boot partition, from its root. */
  path: nameOf(200),
  form: z.enum(ownForms),
  separator: z.enum(separators).default('='),
  quoting: z.enum(quotings).default('plain'),
  /** Lines between which a text stands; both empty for a file as a whole. */
  begin: nameOf(200).default(''),
  end: nameOf(200).default(''),
  words: OwnWordsSchema.default(OwnWordsSchema.parse({})),
  entries: z.array(OwnEntrySchema).min(1).max(100),
});
export type OwnFile = z.infer<typeof OwnFileSchema>;

/** What the file of a description begins with, so that another file is not taken for one. */
export const OWN_METHOD_FORMAT = 'nest-mark-first-boot-method';

export const OwnDescriptionSchema = z.strictObject({
  format: z.literal(OWN_METHOD_FORMAT),
  version: z.literal(1),
  title: nameOf(80).trim().min(1, 'Give the method a title.'),
  /** For which images it is, and where that is documented. */
  notes: z.string().max(4000).default(''),
  files: z.array(OwnFileSchema).min(1, 'Describe at least one file.').max(24),
});
export type OwnDescription = z.infer<typeof OwnDescriptionSchema>;

/** A description with nothing in it but one empty file. */
export const emptyDescription = (title = ''): OwnDescription => ({
  format: OWN_METHOD_FORMAT,
  version: 1,
  title,
  notes: '',
  files: [emptyFile()],
});
export const emptyEntry = (): OwnEntry => ({ section: '', key: '', value: '', each: 'once', when: 'always' });
export const emptyFile = (): OwnFile => ({
  path: '',
  form: 'settings',
  separator: '=',
  quoting: 'plain',
  begin: '',
  end: '',
  words: { yes: 'yes', no: 'no', open: '', wep: '', wpa2: '', mixed: '', wpa3: '' },
  entries: [emptyEntry()],
});

/** A file that is no description, with a sentence that says what to do. */
export class OwnFileError extends Error {
  override readonly name = 'OwnFileError';
}

/** Reads a description from a file that was shared. @throws OwnFileError */
export function readOwnDescription(text: string): OwnDescription {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new OwnFileError('It is no JSON. Choose a file that "Save as a file" made.');
  }
  const format = z.object({ format: z.literal(OWN_METHOD_FORMAT), version: z.number() }).safeParse(json);
  if (!format.success)
    throw new OwnFileError('It describes no first-boot method. Choose a file that "Save as a file" made.');
  if (format.data.version !== 1)
    throw new OwnFileError(
      `It is of version ${String(format.data.version)}, which this program does not know. Get a newer program, or the description in version 1.`,
    );
  const found = OwnDescriptionSchema.safeParse(json);
  if (found.success) return found.data;
  const [issue] = found.error.issues;
  throw new OwnFileError(
    `Something in it is not as a description has it, at ${issue?.path.join('/') || 'its beginning'}: ${issue?.message ?? ''}. Mend it there, or get the file again.`,
  );
}

/** JSON Schema (2020-12) of a description, as docs/own-method.schema.json has it. */
export const ownMethodJsonSchema = (): object => ({
  ...z.toJSONSchema(OwnDescriptionSchema, { io: 'input' }),
  title: 'Nest Mark first-boot method',
});

/** A description with the id by which images and rounds name it. */
export const OwnMethodSchema = z.object({ id: z.uuid(), description: OwnDescriptionSchema });
export type OwnMethod = z.infer<typeof OwnMethodSchema>;

/** The same as the shelf keeps it, with the version for changing it and the images that take it. */
export const ShelvedMethodSchema = OwnMethodSchema.extend({
  version: z.number(),
  images: z.array(z.string()),
});
export type ShelvedMethod = z.infer<typeof ShelvedMethodSchema>;
