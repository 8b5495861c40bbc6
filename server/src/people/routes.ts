import {
  DemoSignInSchema,
  EditPersonSchema,
  FirstLeadSchema,
  NewPersonSchema,
  SignInSchema,
} from '@cellmend/contract/people';
import { Router, type Request } from 'express';
import { rateLimit } from 'express-rate-limit';
import { z } from 'zod';
import type { PersonRow } from '../db/rows';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { Refusal, notFound } from '../domain/refusal';
import {
  addFirstLead,
  addPerson,
  checkPassword,
  editPerson,
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
      req.session.save((e) => (e ? reject(e) : resolve()));
    });
  });

export function peopleRoutes(store: Store, options: { demo: boolean; signInsPerMinute: number }): Router {
  const router = Router();
  const limit = rateLimit({
    windowMs: 60_000,
    limit: options.signInsPerMinute,
    standardHeaders: 'draft-8',
    legacyHeaders: false,
    handler: () => {
      throw new Refusal('tooOften', 'Too many tries', 'Wait a minute before signing in again.');
    },
  });

  router.get('/session', async (req, res) => void res.json(await session(store, req.person, options.demo)));
  router.post('/session', limit, async (req, res) => {
    const { name, password } = SignInSchema.parse(req.body);
    const row = await checkPassword(store, name, password);
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
  return router;
}
