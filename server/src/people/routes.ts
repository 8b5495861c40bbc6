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
import { writeOnce, type Store } from '../http/context';
import { HttpProblem, notFound } from '../http/problems';
import { addPerson, checkPassword, editPerson, listPeople, session } from './service';

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
      throw new HttpProblem(429, 'Too many tries', 'Wait a minute before signing in again.');
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
    const row = options.demo
      ? await store.models.Person.findOne({ where: { id: personId, demo: true } })
      : null;
    if (!row) throw notFound('That demo person');
    await signIn(req, row);
    res.json(await session(store, row, options.demo));
  });
  router.delete('/session', async (req, res) => {
    await new Promise<void>((resolve, reject) => req.session.destroy((e) => (e ? reject(e) : resolve())));
    res.clearCookie('cellmend.sid').status(204).end();
  });
  router.post('/first-lead', limit, async (req, res) => {
    const { workshop, ...input } = FirstLeadSchema.parse(req.body);
    const row = await store.sequelize.transaction(async (tx) => {
      await store.sequelize.query('LOCK TABLE people IN EXCLUSIVE MODE', { transaction: tx });
      if ((await store.models.Person.count({ transaction: tx })) > 0)
        throw new HttpProblem(409, 'Done already', 'This workshop has people; a lead adds more.');
      const made = await addPerson(store, { ...input, role: 'lead' }, tx, null);
      await store.sequelize.query(
        "INSERT INTO settings (name, value) VALUES ('workshop', :value) ON CONFLICT (name) DO UPDATE SET value = :value",
        { replacements: { value: JSON.stringify(workshop) }, transaction: tx },
      );
      return (await store.models.Person.findByPk(made.id, { transaction: tx }))!;
    });
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
  router.patch(
    '/people/:id',
    needs('lead'),
    writeOnce(store, 200, (req, doing) =>
      editPerson(store, doing, z.uuid().parse(req.params.id), EditPersonSchema.parse(req.body)),
    ),
  );
  return router;
}
