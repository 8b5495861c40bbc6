import { openApi } from '@cellmend/contract/openapi';
import { CORE_VERSION } from '@cellmend/core/pack';
import express, { type Express } from 'express';
import session from 'express-session';
import connectPgSimple from 'connect-pg-simple';
import helmet from 'helmet';
import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import pg from 'pg';
import type { Logger } from 'pino';
import { USUAL_PATIENCE, type Patience } from '../db/connect';
import { decisionRoutes } from '../decisions/routes';
import { findingRoutes } from '../findings/routes';
import { jobRoutes } from '../jobs/routes';
import type { LiveHub } from './liveHub';
import { archiveRoutes } from '../archive/routes';
import { learnRoutes } from '../learn/routes';
import { peopleRoutes } from '../people/routes';
import { sessionName } from '../people/sessions';
import { ownHosts } from './hosts';
import { benchFileRoutes, benchRoutes } from '../bench/routes';
import { quoteRoutes } from '../quotes/routes';
import { photoRoutes } from '../photos/routes';
import { scanRoutes } from '../scans/routes';
import { packRoutes } from '../packs/routes';
import { recordRoutes } from '../records/routes';
import { instrumentRoutes } from '../instruments/routes';
import type { InstrumentRuns } from '../instruments/runs';
import { insulationRoutes } from '../insulation/routes';
import { safetyRoutes } from '../safety/routes';
import { stopFirst } from './stopFirst';
import { stripdownRoutes } from '../stripdown/routes';
import { partRoutes } from '../parts/routes';
import { forgetsWho, loadPerson, needs, ownPagesOnly } from './auth';
import { SignedInNow } from './signedInNow';
import type { Store } from '../domain/store';
import { problemHandler, unknownRoute } from './problems';
import { jsonBody } from './jsonBody';
import { SESSION_COOKIE } from './session';

export interface AppOptions {
  store: Store;
  databaseUrl: string;
  sessionSecret: string;
  demo: boolean;
  logger: Logger;
  hub: LiveHub;
  runs: InstrumentRuns;
  /** Built pages; left out in API tests. */
  webFolder?: string;
  demoFolder: string;
  signInsPerMinute?: number;
  /** Names under which this server is reached, besides this machine's own. */
  hosts?: string[] | undefined;
  /** Something on this machine ends TLS in front of it. */
  behindProxy?: boolean | undefined;
  patience?: Patience | undefined;
}

const TOUCH_MS = 3600_000;
/** Looking at a page is no reason to write: that a session is in use is noted once an hour. */
function touchedSeldom<
  S extends { touch?: (sid: string, sess: session.SessionData, done?: () => void) => void },
>(store: S): S {
  const touch = store.touch?.bind(store);
  const touched = new Map<string, number>();
  store.touch = (sid, sess, done) => {
    const last = touched.get(sid);
    if (last !== undefined && Date.now() - last < TOUCH_MS) return done?.();
    if (touched.size > 10_000) touched.clear();
    touched.set(sid, Date.now());
    touch?.(sid, sess, done);
  };
  return store;
}

/** The web application: pages, API and live events. `close` ends what it opened. */
export function makeApp(options: AppOptions): { app: Express; close: () => Promise<void> } {
  const { store, hub } = options;
  const app = express();
  app.disable('x-powered-by');
  app.set('query parser', 'simple');
  // Behind something that ends TLS: its word on address and protocol counts, nobody else's.
  app.set('trust proxy', options.behindProxy ? 'loopback' : false);
  app.use(ownHosts(options.hosts ?? []));
  // Nothing is answered from what a browser kept: no answer is summed for it.
  app.set('etag', false);
  app.use((req, _res, next) => {
    req.log = options.logger;
    next();
  });
  app.use((_req, res, next) => {
    res.locals.nonce = randomBytes(16).toString('base64');
    next();
  });
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'none'"],
          scriptSrc: ["'self'"],
          workerSrc: ["'self'"],
          styleSrc: ["'self'", (_req, res) => `'nonce-${(res as express.Response).locals.nonce as string}'`],
          imgSrc: ["'self'", 'data:'],
          fontSrc: ["'self'"],
          connectSrc: ["'self'"],
          manifestSrc: ["'self'"],
          baseUri: ["'none'"],
          formAction: ["'self'"],
          frameAncestors: ["'none'"],
        },
      },
      strictTransportSecurity: false,
    }),
  );

  const pool = new pg.Pool({
    connectionString: options.databaseUrl,
    max: 4,
    connectionTimeoutMillis: USUAL_PATIENCE.connectMs,
    query_timeout: options.patience?.queryMs ?? USUAL_PATIENCE.queryMs,
  });
  pool.on('error', (error) => options.logger.warn({ err: error }, 'session store lost its connection'));
  const PgSession = connectPgSimple(session);
  const api = express.Router();
  api.use((_req, res, next) => {
    res.set('Cache-Control', 'no-store');
    next();
  });
  // Before the session: it is read from a database that may hang.
  api.use(stopFirst(options.runs, options.sessionSecret));
  const signedIn = new SignedInNow();
  hub.listen(({ topic }) => {
    if (topic === 'people-changed' || topic === 'signed-out') signedIn.forget();
  });
  api.use(forgetsWho(store, signedIn));
  api.use(
    session({
      name: SESSION_COOKIE,
      secret: options.sessionSecret,
      resave: false,
      saveUninitialized: false,
      store: touchedSeldom(
        signedIn.over(
          new PgSession({
            pool,
            tableName: 'user_sessions',
            pruneSessionInterval: false,
            // A database that is away is said once by whoever asked, not as a stack on the workshop's screen.
            errorLog: (...args: unknown[]) => options.logger.warn({ args }, 'sessions could not be read'),
          }),
        ),
      ),
      cookie: { httpOnly: true, sameSite: 'strict', secure: 'auto', maxAge: 14 * 86400_000 },
    }),
  );
  api.use(loadPerson(store, signedIn));
  api.use(ownPagesOnly);
  // Before the others' bodies: a photograph is larger than any of them.
  api.use(photoRoutes(store));
  api.use(benchFileRoutes(store));
  api.use(archiveRoutes(store));
  api.use(jsonBody('1mb'));
  api.use(peopleRoutes(store, { demo: options.demo, signInsPerMinute: options.signInsPerMinute ?? 60 }));
  api.use(jobRoutes(store));
  const scans = scanRoutes(store, options.demoFolder, options.demo);
  api.use(scans.router);
  api.use(findingRoutes(store));
  api.use(decisionRoutes(store));
  api.use(recordRoutes(store));
  api.use(packRoutes(store));
  api.use(partRoutes(store));
  api.use(safetyRoutes(store, options.runs));
  api.use(insulationRoutes(store, options.runs));
  api.use(instrumentRoutes(store));
  api.use(stripdownRoutes(store));
  api.use(benchRoutes(store, options.runs));
  api.use(quoteRoutes(store));
  api.use(learnRoutes(store));
  const description = openApi(CORE_VERSION);
  api.get('/openapi.json', (_req, res) => void res.json(description));
  api.get('/events', needs('viewer'), (req, res) => hub.add(res, sessionName(req.sessionID)));
  api.use(unknownRoute);
  app.use('/api', api);

  const page = options.webFolder ? join(options.webFolder, 'index.html') : '';
  if (options.webFolder && existsSync(page)) {
    const html = readFileSync(page, 'utf8');
    app.use(
      express.static(options.webFolder, {
        index: false,
        maxAge: '1h',
        setHeaders: (res, path) => {
          if (/\/assets\//.test(path)) res.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
          // What keeps the app for a dead spot has to know of a new one at once.
          if (/sw\.js$/.test(path)) res.setHeader('Cache-Control', 'no-cache');
        },
      }),
    );
    app.get(/^\/(?!api\/)/, (_req, res) => {
      res
        .set('Cache-Control', 'no-store')
        .type('html')
        .send(html.replaceAll('__NONCE__', res.locals.nonce as string));
    });
  }
  app.use(unknownRoute);
  app.use(problemHandler);
  return {
    app,
    close: async () => {
      await scans.close();
      await pool.end();
    },
  };
}
