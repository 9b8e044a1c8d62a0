import { parsePublicKey } from '@nest-mark/core';
import { armor, Encrypter } from 'age-encryption';
import { problem } from '../../platform/http/problems';
import { sshRecipient } from './ssh-recipient';

/** Least length of a passphrase for something that can be tried at leisure (as for plan files). */
const LEAST_PASSPHRASE = 12;
/** Exponent of scrypt's cost: 64 MiB and some tenths of a second. */
const WORK = 16;

/**
 * Seals a text for people's public keys, or under a passphrase, as an age file in its ASCII armour (age's own document of
 * its format; tools in many languages open it).
 * @throws Problem for a line that is no public key, or too short a passphrase
 */
export async function sealFor(text: string, recipients: string, passphrase: string): Promise<string> {
  const encrypter = new Encrypter();
  const lines = recipients
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '' && !line.startsWith('#'));
  const unknown = (what: string): Error => problem('recipient-unknown', { what });
  if (lines.length === 0) {
    if ([...passphrase].length < LEAST_PASSPHRASE)
      throw unknown('There is neither a public key nor a passphrase of 12 characters or more.');
    encrypter.setScryptWorkFactor(WORK);
    encrypter.setPassphrase(passphrase);
  } else if (passphrase !== '')
    throw unknown('A file is sealed either for keys or under a passphrase, not both.');
  lines.forEach((line, at) => {
    const where = `Line ${String(at + 1)}`;
    if (/^AGE-SECRET-KEY-|PRIVATE KEY/i.test(line))
      throw unknown(`${where} is a private key. Never give that away.`);
    if (line.startsWith('age1')) {
      try {
        encrypter.addRecipient(line);
      } catch {
        throw unknown(`${where} is no whole public key of age.`);
      }
      return;
    }
    const key = parsePublicKey(line);
    if (typeof key === 'string') throw unknown(`${where} is no public key.`);
    const recipient = sshRecipient(key);
    if (!recipient) throw unknown(`${where} is a key of the type ${key.type}, which cannot open such files.`);
    encrypter.addRecipient(recipient);
  });
  return armor.encode(await encrypter.encrypt(text));
}
