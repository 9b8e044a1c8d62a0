import type { ErrorRequestHandler } from 'express';
import { toProblem } from '../http/problems';

/** What somebody sees in a browser who is not let in; it says nothing else. */
export const admissionPage: ErrorRequestHandler = (error, request, response, next) => {
  const { status, message } = toProblem(error);
  if (status !== 401 || !request.accepts(['html', 'json']) || request.path.startsWith('/api')) {
    next(error);
    return;
  }
  response
    .status(401)
    .type('html')
    .set('Cache-Control', 'no-store')
    .send(
      `<!doctype html><html lang="en"><meta charset="utf-8"><title>Nest Mark</title><body style="font:1.1rem/1.5 sans-serif;max-width:36rem;margin:4rem auto;padding:0 1rem"><h1>Nest Mark</h1><p>${message}</p></body></html>`,
    );
};
