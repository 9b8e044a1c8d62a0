import type { Response } from 'express';

/** A file that is handed out. */
export interface HandedFile {
  fileName: string;
  type: string;
  content: string | Buffer;
}

/** Sends a file for saving. */
export function send(response: Response, { fileName, type, content }: HandedFile): void {
  response.type(type);
  response.set('Content-Disposition', `attachment; filename="${fileName}"`);
  response.send(content);
}
