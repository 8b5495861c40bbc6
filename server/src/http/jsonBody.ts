import express, { type RequestHandler } from 'express';
import { Refusal } from '../domain/refusal';
import { depthOf } from '../domain/depth';

/** Brackets within brackets: what any address takes has some ten. */
const MOST_DEPTH = 60;

/** The body of a request as JSON, within a size and a depth. @throws Refusal */
export const jsonBody = (limit: string | number): RequestHandler =>
  express.json({
    limit,
    strict: true,
    type: 'application/json',
    verify: (_req, _res, bytes) => {
      if (depthOf(bytes) > MOST_DEPTH)
        throw new Refusal(
          'unacceptable',
          'Cannot be accepted',
          `The body is nested more than ${MOST_DEPTH} deep.`,
        );
    },
  });
