import jsQR from 'jsqr';
import type { CodeAnswer, CodeRequest } from './code.messages';

/** Looks for a QR code, dark on light or light on dark. Its octets are taken: its text is empty where they are no UTF-8. */
export function answerCode({ points, width, height }: CodeRequest): CodeAnswer {
  const found = jsQR(points, width, height);
  return { octets: found ? Uint8Array.from(found.binaryData) : null };
}
