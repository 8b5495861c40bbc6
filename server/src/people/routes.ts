import {
  DemoSignInSchema,
  EditPersonSchema,
  NewPasswordSchema,
  FirstLeadSchema,
  NewPersonSchema,
  SignInSchema,
} from '@cellmend/contract/people';
import { Router, type Request } from 'express';
import { ipKeyGenerator, rateLimit } from 'express-rate-limit';
import { z } from 'zod';
import type { PersonRow } from '../db/rows';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { endSession, sessionName, sessionsOf, signedOut } from './sessions';
import { mayTry, rightAtLast, tried } from './tries';
import { Refusal, notFound } from '../domain/refusal';
import {
  addFirstLead,
  addPerson,
  changePassword,
  checkPassword,
  editPerson,
  countersignPerson,
  findDemoPerson,
  listPeople,
  saveUnits,
  session,
} from './service';

/** A new session id at sign-in, so that one given beforehand is worth nothing. */
const signIn = (req: Request, row: PersonRow): Promise<void> =>
  new Promise((resolve, reject) => {
    req.session.regenerate((error) => {
      if (error) return reject(error);
      req.session.personId = row.id;
      req.session.since = new Date().toISOString();
      req.session.device = (req.get('user-agent') ?? '').slice(0, 200);
      req.session.save((e) => (e ? reject(e) : resolve()));
    });
  });

/** Whom a request would sign in, as far as it says. */
const accountOf = (body: unknown): string => {
  const { name, personId } = (body ?? {}) as { name?: unknown; personId?: unknown };
  return String(name ?? personId ?? '')
    .slice(0, 80)
    .toLowerCase();
};

export function peopleRoutes(store: Store, options: { demo: boolean; signInsPerMinute: number }): Router {
  const router = Router();
  const limit = rateLimit({
    windowMs: 60_000,
    limit: options.signInsPerMinute,
    // By account as well as by address: behind one proxy all tablets have the same.
    keyGenerator: (req) => `${ipKeyGenerator(req.ip ?? '')} ${accountOf(req.body)}`,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: () => {
      throw new Refusal('tooOften', 'Too many tries', 'Wait a minute before signing in again.');
    },
  });

  router.get('/session', async (req, res) => void res.json(await session(store, req.person, options.demo)));
  router.post('/session', limit, async (req, res) => {
    const { name, password } = SignInSchema.parse(req.body);
    const address = req.ip ?? '';
    await mayTry(store, name, address);
    const row = await checkPassword(store, name, password).catch(async (error: unknown) => {
      await tried(store, name, address);
      throw error;
    });
    await rightAtLast(store, name, address);
    await signIn(req, row);
    res.json(await session(store, row, options.demo));
  });
  router.post('/session/demo', limit, async (req, res) => {
    const { personId } = DemoSignInSchema.parse(req.body);
    const row = options.demo ? await findDemoPerson(store, personId) : null;
    if (!row) throw notFound('That demo person');
    await signIn(req, row);
    res.json(await session(store, row, options.demo));
  });
  router.delete('/session', async (req, res) => {
    await signedOut(store, [sessionName(req.sessionID)]);
    await new Promise<void>((resolve, reject) => req.session.destroy((e) => (e ? reject(e) : resolve())));
    res.clearCookie('cellmend.sid').status(204).end();
  });
  router.post('/first-lead', limit, async (req, res) => {
    const row = await addFirstLead(store, FirstLeadSchema.parse(req.body));
    await signIn(req, row);
    res.status(201).json(await session(store, row, options.demo));
  });
  router.get('/people', needs('viewer'), async (_req, res) => void res.json(await listPeople(store)));
  router.post(
    '/people',
    needs('lead'),
    writeOnce(store, 201, (req, doing) =>
      addPerson(store, NewPersonSchema.parse(req.body), doing.tx, doing.person),
    ),
  );
  router.put(
    '/units',
    needs('lead'),
    writeOnce(store, 200, (req, doing) => saveUnits(store, doing, req.body)),
  );
  router.patch(
    '/people/:id',
    needs('lead'),
    writeOnce(store, 200, (req, doing) =>
      editPerson(store, doing, z.uuid().parse(req.params.id), EditPersonSchema.parse(req.body)),
    ),
  );
  router.post(
    '/people/:id/countersign',
    needs('technician'),
    writeOnce(store, 200, (req, doing) =>
      countersignPerson(store, doing, z.uuid().parse(req.params.id), req.body),
    ),
  );
  const personOf = (req: Request): string => {
    const id = z.uuid().parse(req.params.id);
    if (id !== req.person!.id && req.person!.role !== 'lead')
      throw new Refusal('notAllowed', 'Not allowed', 'Where others are signed in is for a lead to know.');
    return id;
  };
  router.put(
    '/people/:id/password',
    needs('viewer'),
    limit,
    writeOnce(store, 200, (req, doing) =>
      changePassword(
        store,
        doing,
        z.uuid().parse(req.params.id),
        NewPasswordSchema.parse(req.body),
        sessionName(req.sessionID),
      ),
    ),
  );
  router.get(
    '/people/:id/sessions',
    needs('viewer'),
    async (req, res) => void res.json(await sessionsOf(store, personOf(req), sessionName(req.sessionID))),
  );
  router.delete(
    '/people/:id/sessions/:session',
    needs('viewer'),
    writeOnce(
      store,
      200,
      (req, doing) => endSession(store, doing, personOf(req), z.string().max(40).parse(req.params.session)),
      (_done, req) => sessionsOf(store, personOf(req), sessionName(req.sessionID)),
    ),
  );
  return router;
}
