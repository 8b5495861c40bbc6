import type { RequestHandler } from 'express';
import { Refusal } from '../domain/refusal';

const OWN = new Set(['localhost', '127.0.0.1', '[::1]']);

/**
 * Answers only under the names this server has: a page elsewhere that points its own name at this machine reaches nothing.
 * @param names from the setting, without port.
 */
export function ownHosts(names: readonly string[]): RequestHandler {
  const known = new Set([...OWN, ...names.map((n) => n.trim().toLowerCase()).filter((n) => n !== '')]);
  return (req, _res, next) => {
    const host = (req.get('host') ?? '').toLowerCase().replace(/:\d+$/, '');
    if (!known.has(host))
      throw new Refusal(
        'misdirected',
        'Not this server',
        `This server does not go by the name ${host.slice(0, 80) || 'given'}.`,
        {
          accepted: 'An address of this machine, or a name listed in CELLMEND_HOSTS.',
        },
      );
    next();
  };
}
