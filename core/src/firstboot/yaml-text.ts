import { Scalar, visit, type Document, type DocumentOptions, type SchemaOptions, type Tags } from 'yaml';

/** YAML 1.1, in which nothing of ours is ever a merge (yaml.org, type "merge"). */
export const yamlManner = {
  version: '1.1',
  customTags: (tags: Tags): Tags =>
    tags.filter(
      (tag) => tag !== 'merge' && (typeof tag === 'string' || tag.tag !== 'tag:yaml.org,2002:merge'),
    ),
} satisfies DocumentOptions & SchemaOptions;

/** What a reader of YAML 1.1 refuses, or takes for the end of a line, wherever it stands (sections 4.1.1 and 4.1.4). */
const unsafe = /[\u007f-\u009f\u2028\u2029\ufeff\ufffe\uffff]/;
/** A text that is a value or a merge to YAML 1.1 when it stands there bare (yaml.org, types "value" and "merge"). */
const meaning = /^(=|<<)$/;
/** A tab within a line of bare text, which Python's reader does not take. */
const tabbed = /^[^\n]*\t[^\n]*$/;
const needsQuotes = (text: string): boolean => unsafe.test(text) || meaning.test(text) || tabbed.test(text);

/** The text of a document for a reader of YAML 1.1, long lines unbroken. */
export function yamlText(document: Document): string {
  visit(document, {
    Scalar: (_key, node) => {
      // What was in the file before has a place in it, and stays as its maker wrote it.
      if (typeof node.value === 'string' && !node.range && needsQuotes(node.value))
        node.type = Scalar.QUOTE_DOUBLE;
    },
  });
  // They stand between double quotes only now, where an escape says the same (section 5.7).
  return document
    .toString({ lineWidth: 0 })
    .replace(new RegExp(unsafe, 'g'), (char) => `\\u${char.charCodeAt(0).toString(16).padStart(4, '0')}`);
}
