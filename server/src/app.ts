import { existsSync } from 'node:fs';
import { join } from 'node:path';
import express, { Router, type Express } from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { UPLOAD_PIECE } from '@nest-mark/core';
import { batchRoutes } from './api/batches';
import { checkRoutes } from './api/checks';
import { cardRoutes, settingRoutes, slotRoutes } from './api/cards';
import { exportRoutes } from './api/exports';
import { handOverRoutes } from './api/hand-over';
import { imageRoutes } from './api/images';
import { healthRoutes, logRoutes, practiceRoutes } from './api/rest';
import { roundRoutes } from './api/rounds';
import { scanRoutes } from './api/scans';
import { benchRoutes, boardRoutes, networkRoutes } from './api/shelves';
import { uploadRoutes } from './api/uploads';
import type { Admission } from './http/admission';
import { admissionPage } from './http/admission-page';
import { eventStream } from './http/events';
import { ownName, sameMachine } from './http/guard';
import { openApi } from './http/openapi';
import { Problem, problemHandler } from './http/problems';
import { plainText } from './http/plain-text';
import { mount } from './http/route';
import type { Context } from './services/context';

export const allRoutes = [
  ...healthRoutes,
  ...batchRoutes,
  ...networkRoutes,
  ...boardRoutes,
  ...benchRoutes,
  ...imageRoutes,
  ...uploadRoutes,
  ...roundRoutes,
  ...cardRoutes,
  ...slotRoutes,
  ...checkRoutes,
  ...settingRoutes,
  ...scanRoutes,
  ...handOverRoutes,
  ...exportRoutes,
  ...logRoutes,
  ...practiceRoutes,
];

const contentPolicy = {
  defaultSrc: ["'self'"],
  scriptSrc: ["'self'"],
  styleSrc: ["'self'", "'unsafe-inline'"],
  fontSrc: ["'self'"],
  imgSrc: ["'self'", 'data:'],
  connectSrc: ["'self'"],
  objectSrc: ["'none'"],
  baseUri: ["'self'"],
  formAction: ["'self'"],
  frameAncestors: ["'none'"],
  upgradeInsecureRequests: null,
};

/** The web application. @param webFolder the built interface; left out where only the API is wanted */
export function makeApp(
  context: Context,
  logger: Logger,
  webFolder: string | null,
  admission: Admission,
): Express {
  const app = express();
  app.disable('x-powered-by');
  // Secure transport makes no sense on loopback, where browsers trust plain HTTP.
  app.use(
    helmet({
      contentSecurityPolicy: { useDefaults: false, directives: contentPolicy },
      strictTransportSecurity: false,
    }),
  );
  app.use(ownName);
  app.get('/enter', admission.enter);
  app.use((request, response, next) => {
    if (request.path === '/api/health') next();
    else admission.guard(request, response, next);
  });
  const api = Router();
  api.use(sameMachine);
  api.use('/uploads', express.raw({ type: 'application/octet-stream', limit: UPLOAD_PIECE }));
  api.use(express.json({ limit: '12mb' }));
  api.use(plainText);
  api.use((_request, response, next) => {
    response.set('Cache-Control', 'no-store');
    next();
  });
  mount(api, allRoutes, context);
  api.get('/events', eventStream(context));
  const description = openApi(allRoutes);
  api.get('/openapi.json', (_request, response) => {
    response.json(description);
  });
  api.use(() => {
    throw new Problem(404, 'no-such-path', 'There is nothing at this address.');
  });
  app.use('/api', api);
  if (webFolder && existsSync(join(webFolder, 'index.html'))) {
    app.use(
      express.static(webFolder, {
        index: false,
        setHeaders: (response, path) => {
          // Built files carry a digest in their names.
          if (/-[A-Z0-9]{8}\.\w+$/.test(path))
            response.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
        },
      }),
    );
    app.get('/{*path}', (_request, response) => {
      response.set('Cache-Control', 'no-cache').sendFile(join(webFolder, 'index.html'));
    });
  }
  app.use(admissionPage);
  app.use(problemHandler(logger));
  return app;
}
