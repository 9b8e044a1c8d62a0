import { randomBytes } from 'node:crypto';
import { execFile } from 'node:child_process';
import { cryptSalt, sha512Crypt } from '@nest-mark/core';

/** The same by openssl in a process of its own, so that its five thousand rounds hold no other work up. */
const byProcess = (password: string, salt: string): Promise<string> =>
  new Promise((resolve, reject) => {
    const child = execFile('openssl', ['passwd', '-6', '-salt', salt, '-stdin'], (error, stdout) => {
      if (error) reject(error);
      else resolve(stdout.trim());
    });
    child.stdin?.on('error', reject);
    // Not as an argument: other users of the machine could read that.
    child.stdin?.end(`${password}\n`);
  });

/**
 * SHA-512-crypt of a password with a new salt, or one that is given, off this thread. Where there is no openssl, and for passwords that its
 * input cannot carry, our own implementation takes over on this thread.
 */
export async function hashPassword(password: string, given: string | null = null): Promise<string> {
  const salt = given ?? cryptSalt(randomBytes(16));
  if (/[\r\n\0]/.test(password)) return sha512Crypt(password, salt);
  const hash = await byProcess(password, salt).catch(() => '');
  return hash.startsWith(`$6$${salt}$`) ? hash : sha512Crypt(password, salt);
}
