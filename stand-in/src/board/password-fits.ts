import { execFile } from 'node:child_process';
import { timingSafeEqual } from 'node:crypto';

/** Whether a password fits a SHA-512-crypt string; openssl computes it. */
export function passwordFits(password: string, hash: string): Promise<boolean> {
  const salt = /^\$6\$((?:rounds=\d+\$)?[^$]*)\$/.exec(hash)?.[1];
  if (salt === undefined) return Promise.resolve(false);
  return new Promise((resolve) => {
    const child = execFile('openssl', ['passwd', '-6', '-salt', salt, '-stdin'], (error, stdout) => {
      const got = Buffer.from(stdout.trim());
      const wanted = Buffer.from(hash);
      resolve(!error && got.length === wanted.length && timingSafeEqual(got, wanted));
    });
    child.stdin?.end(password);
  });
}
