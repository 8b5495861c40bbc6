import { fieldsOf, type Problem } from '@cellmend/contract/problem';
import { InputProblem } from '@cellmend/core/pack';
import type { ErrorRequestHandler, RequestHandler } from 'express';
import { BaseError, ConnectionError, DatabaseError, TimeoutError, UniqueConstraintError } from 'sequelize';
import { ZodError } from 'zod';
import { notFound, Refusal, type RefusalKind } from '../domain/refusal';
import { STORED_WORDS, storedOf } from '../domain/stored';

const STATUS: Record<RefusalKind, number> = {
  unacceptable: 400,
  signedOut: 401,
  notAllowed: 403,
  notHere: 404,
  conflict: 409,
  tooLarge: 413,
  notPossible: 422,
  closed: 423,
  tooOften: 429,
  stopped: 499,
  misdirected: 421,
};

/** Values that PostgreSQL refuses although the schema let them pass (NUL in text, numbers out of range). */
const REFUSED_BY_DATABASE = new Set(['22021', '22P05', '22003', '22P02', '22008', '54000']);

/** The disk is full: by PostgreSQL's code, or by the system's. */
const isFull = (code: string): boolean => code === '53100' || code === 'ENOSPC' || code === 'EDQUOT';

/** The one place that turns errors into answers. */
export function toProblem(error: unknown): Problem {
  const problem = (status: number, title: string, detail: string, extra: Partial<Problem> = {}): Problem => ({
    type: 'about:blank',
    title,
    status,
    detail,
    ...extra,
  });
  const stored = storedOf(error);
  const says = stored ? ` ${STORED_WORDS[stored]}` : '';
  const codeOf = (e: unknown): string =>
    (e as { original?: { code?: string }; code?: string } | null)?.original?.code ??
    (e as { code?: string } | null)?.code ??
    '';
  if (isFull(codeOf(error)))
    return problem(
      507,
      'The disk is full',
      `The disk of the server is full.${stored ? '' : ' Nothing was stored.'}${says}`,
      {
        accepted:
          'The same once there is room again: move old backups elsewhere, or ask whoever runs the server.',
      },
    );
  if (error instanceof Refusal) return problem(STATUS[error.kind], error.title, error.message, error.extra);
  if (error instanceof InputProblem)
    return problem(422, 'Cannot be read', error.what, {
      where: error.where,
      accepted: error.accepted,
      type: `urn:cellmend:${error.code}`,
    });
  if (error instanceof ZodError) {
    const fields = fieldsOf(error);
    return problem(
      400,
      'Cannot be accepted',
      fields
        .slice(0, 3)
        .map((f) => `${f.field}: ${f.message}`)
        .join(' · '),
      { fields: fields.slice(0, 50) },
    );
  }
  if (
    error instanceof ConnectionError ||
    error instanceof TimeoutError ||
    (error as { name?: string })?.name === 'SequelizeConnectionAcquireTimeoutError'
  ) {
    return problem(503, 'The database is away', `The database does not answer.${says}`);
  }
  if (error instanceof UniqueConstraintError)
    return problem(
      409,
      'Somebody was first',
      `Somebody else entered the same, or corrected it, at this moment.${says}`,
      { accepted: 'Look again; then correct the newer one.' },
    );
  if (error instanceof DatabaseError) {
    const code = (error.original as { code?: string }).code ?? '';
    if (REFUSED_BY_DATABASE.has(code))
      return problem(400, 'Cannot be stored', 'A value holds characters or a size that cannot be stored.');
    if (code === '23514' || code === '22007')
      return problem(
        400,
        'Cannot be stored',
        'A value is outside of what can be: a moment, a number or a length.',
      );
    if (code === '23503') return problem(400, 'Cannot be stored', 'It refers to something that is not here.');
    if (code.startsWith('57') || code.startsWith('08'))
      return problem(503, 'The database is away', `The database does not answer.${says}`);
    // A lock that somebody else holds for too long, or two that wait for each other: nothing of this one was stored.
    if (code === '55P03' || code === '40P01' || code === '40001')
      return problem(
        503,
        'Busy',
        'Somebody else is writing the same at this moment. Nothing of this was stored.',
      );
  }
  const lost = (error as { code?: string })?.code ?? '';
  if (
    /^(ECONNREFUSED|ECONNRESET|EPIPE|57P0\d|08\w{3})$/.test(lost) ||
    /Connection terminated|timeout exceeded when trying to connect|Query read timeout|read ECONNRESET|write EPIPE|not queryable|Timeout - last error/.test(
      (error as Error)?.message ?? '',
    )
  ) {
    return problem(503, 'The database is away', `The database does not answer.${says}`);
  }
  const http = error as { status?: number; type?: string; message?: string };
  if (http.type === 'entity.too.large')
    return problem(413, 'Too large', 'The body is larger than this address accepts.');
  if (http.type === 'entity.parse.failed')
    return problem(400, 'Not JSON', 'The body is not JSON.', { accepted: 'A JSON object.' });
  if (http.status && http.status >= 400 && http.status < 500)
    return problem(http.status, 'Cannot be accepted', http.message ?? 'The request cannot be read.');
  return problem(
    500,
    'Something failed here',
    `${error instanceof BaseError ? 'The database refused it.' : 'The server failed on this request.'}${says}`,
  );
}

export const problemHandler: ErrorRequestHandler = (error, req, res, next) => {
  // Answered already, in time, where the work itself was late: there is nobody to tell.
  if (res.writableEnded) return void req.log.warn({ err: error, method: req.method, path: req.path });
  // Half an answer is none: whoever asked sees that it broke off.
  if (res.headersSent) {
    req.log.warn({ err: error, method: req.method, path: req.path });
    res.destroy();
    return next();
  }
  const problem = toProblem(error);
  if (problem.status >= 500) req.log.error({ err: error, method: req.method, path: req.path });
  if (problem.status === 503) res.set('Retry-After', '2');
  res.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
};

export const unknownRoute: RequestHandler = (req) => {
  throw notFound(`${req.method} ${req.path}`);
};
