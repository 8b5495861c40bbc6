import type { z } from 'zod';
import type { ROLES } from './people';

/** One address of the API: who may call it, what it takes and what it answers. */
export interface RouteSpec {
  method: 'get' | 'post' | 'put' | 'patch' | 'delete';
  path: string;
  summary: string;
  role: (typeof ROLES)[number] | 'anyone';
  body?: z.ZodType;
  /** Largest body, bytes, where it is not that of the others. */
  largestBytes?: number;
  /** The body is a file, not JSON. */
  file?: boolean;
  query?: z.ZodObject;
  status: number;
  answer?: z.ZodType;
}
