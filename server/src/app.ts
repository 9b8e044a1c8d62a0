import { existsSync } from 'node:fs';
import { join } from 'node:path';
import express, { Router, type Express, type RequestHandler } from 'express';
import expressStaticGzip from 'express-static-gzip';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { eventStream } from './platform/events/stream';
import type { EventHub } from './platform/events/hub';
import { ownName, sameMachine } from './platform/http/guard';
import type { InFlight } from './platform/http/in-flight';
import { openApi } from './platform/http/openapi';
import { plainText } from './platform/http/plain-text';
import { problem, problemHandler } from './platform/http/problems';
import { mount, type Route } from './platform/http/route';
import type { Admission } from './platform/sessions/admission';
import { admissionPage } from './platform/sessions/admission-page';

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

export interface AppOptions {
  routes: readonly Route[];
  inFlight: InFlight;
  events: EventHub;
  admission: Admission;
  logger: Logger;
  /** The built interface; null where only the API is wanted. */
  webFolder: string | null;
}

/** The web application. */
export function makeApp({ routes, inFlight, events, admission, logger, webFolder }: AppOptions): Express {
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
  api.use(express.json({ limit: '12mb' }));
  api.use(plainText);
  api.use((_request, response, next) => {
    response.set('Cache-Control', 'no-store');
    next();
  });
  mount(api, routes, inFlight);
  api.get('/events', eventStream(events));
  // Made when it is asked for, which few do: it was a good part of each start's work.
  let description: object | null = null;
  api.get('/openapi.json', (_request, response) => {
    response.json((description ??= openApi(routes)));
  });
  api.use(() => {
    throw problem('no-such-path');
  });
  app.use('/api', api);
  if (webFolder && existsSync(join(webFolder, 'index.html'))) {
    app.use(
      // The build has packed its files; a browser at another computer loads a quarter.
      expressStaticGzip(webFolder, {
        index: false,
        enableBrotli: true,
        orderPreference: ['br', 'gz'],
        serveStatic: {
          setHeaders: (response, path) => {
            // Built files carry a digest in their names.
            if (/-[A-Z0-9]{8}\.\w+(\.br|\.gz)?$/.test(path))
              response.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
          },
        },
      }) as RequestHandler,
    );
    app.get('/{*path}', (_request, response) => {
      response.set('Cache-Control', 'no-cache').sendFile(join(webFolder, 'index.html'));
    });
  }
  app.use(admissionPage);
  app.use(problemHandler(logger));
  return app;
}
