import type { Person } from '@cellmend/contract/people';
import type { RequestHandler } from 'express';
import { announceNow, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import type { SignedInNow } from './signedInNow';

const RANK: Record<Person['role'], number> = { viewer: 0, technician: 1, lead: 2 };

/** Reads the signed-in person of the session, if there is one. */
export const loadPerson =
  (store: Store, now: SignedInNow): RequestHandler =>
  async (req, _res, next) => {
    const id = req.session?.personId;
    const row = id ? await now.person(store, id) : null;
    if (row && row.endedAt === null) req.person = row;
    next();
  };

/** Lets through who is signed in with at least this role. */
export const needs =
  (role: Person['role']): RequestHandler =>
  (req, _res, next) => {
    if (!req.person) throw new Refusal('signedOut', 'Not signed in', 'Sign in first.');
    // What a page made for one person is never stored under the name of another who signed in meanwhile.
    const madeBy = req.get('x-cellmend-person');
    if (madeBy !== undefined && madeBy !== req.person.id)
      throw new Refusal(
        'conflict',
        'Somebody else signed in',
        `${req.person.name} is signed in here now; this entry was made by somebody else.`,
        {
          type: 'urn:cellmend:person',
          accepted: 'The entry again, once its maker has signed in.',
        },
      );
    if (RANK[req.person.role] < RANK[role])
      throw new Refusal(
        'notAllowed',
        'Not allowed',
        `This needs the role ${role}; ${req.person.name} is ${req.person.role}.`,
      );
    next();
  };

/**
 * Cross-site requests cannot carry a custom header without asking first, and SameSite keeps the cookie at home;
 * a write needs both the header and, where the browser names an origin, our own.
 */
export const ownPagesOnly: RequestHandler = (req, _res, next) => {
  if (!['GET', 'HEAD', 'OPTIONS'].includes(req.method)) {
    const origin = req.get('origin');
    const foreign = origin !== undefined && origin !== `${req.protocol}://${req.get('host')}`;
    if (req.get('x-cellmend') !== '1' || foreign)
      throw new Refusal('notAllowed', 'Not from our page', 'This request did not come from the app itself.', {
        accepted: 'The header X-Cellmend: 1, from the same origin.',
      });
  }
  next();
};

/** People and sessions: where they are changed, who is signed in is forgotten before the answer goes out, here and elsewhere. */
export const forgetsWho =
  (store: Store, now: SignedInNow): RequestHandler =>
  (req, res, next) => {
    if (!['GET', 'HEAD', 'OPTIONS'].includes(req.method) && /^\/(people|session|first-lead)/.test(req.path)) {
      const end = res.end.bind(res) as (...args: unknown[]) => typeof res;
      res.end = ((...args: unknown[]) => {
        now.forget();
        void announceNow(store, { topic: 'people-changed' });
        return end(...args);
      }) as typeof res.end;
    }
    next();
  };
