import { z } from 'zod';
import { NewFindingSchema } from './findings';
import {
  BoardSchema,
  DecisionSchema,
  JobSchema,
  NewDecisionSchema,
  NewJobSchema,
  ScanSummarySchema,
} from './jobs';
import { SaveProfileSchema, StoredProfileSchema } from './pack';
import {
  DemoSignInSchema,
  EditPersonSchema,
  FirstLeadSchema,
  NewPersonSchema,
  PersonSchema,
  SessionSchema,
  SignInSchema,
  type ROLES,
} from './people';
import { InsulationEntrySchema, NewInsulationSchema, StreamTestSchema } from './insulation';
import { ProblemSchema } from './problem';
import {
  ClockSchema,
  FindingSchema,
  NewClockSchema,
  NewReadingSchema,
  ReadingSchema,
  RecomputedSchema,
  TimelineEntrySchema,
} from './records';
import {
  BeginLockoutSchema,
  CloseLockoutSchema,
  EndStopSchema,
  NewStopSchema,
  SafetyViewSchema,
  StepDataSchema,
  StopSchema,
  WorkshopSettingsSchema,
} from './safety';
import {
  DefinitionSchema,
  LiveStateSchema,
  NewDefinitionSchema,
  SaveHeadingSchema,
  ScanPictureSchema,
  ScanPreviewSchema,
  StartLiveSchema,
} from './scans';
import { StockModuleSchema } from './stock';

/** One address of the API: who may call it, what it takes and what it answers. */
export interface RouteSpec {
  method: 'get' | 'post' | 'put' | 'patch' | 'delete';
  path: string;
  summary: string;
  role: (typeof ROLES)[number] | 'anyone';
  body?: z.ZodType;
  /** The body is a file, not JSON. */
  file?: boolean;
  query?: z.ZodObject;
  status: number;
  answer?: z.ZodType;
}

export const DemoScanSchema = z.object({
  name: z.string().regex(/^[a-z0-9-]+\.csv$/),
  role: z.enum(['before', 'after']),
});
export const ScanQuerySchema = z.object({
  name: z.string().trim().min(1).max(120),
  role: z.enum(['before', 'after']),
  /** When the file was last written, as the browser tells it. */
  writtenAt: z.iso.datetime({ offset: true }).optional(),
});
export const PreviewQuerySchema = z.object({ name: z.string().trim().min(1).max(120) });
const TracesSchema = z.object({
  timeS: z.array(z.number()),
  currentA: z.array(z.number()).nullable(),
  channels: z.array(z.object({ channelIndex: z.int(), voltageV: z.array(z.number()) })),
});

export const ROUTES: RouteSpec[] = [
  {
    method: 'get',
    path: '/session',
    summary: 'Who is signed in',
    role: 'anyone',
    status: 200,
    answer: SessionSchema,
  },
  {
    method: 'post',
    path: '/session',
    summary: 'Sign in by name and password',
    role: 'anyone',
    body: SignInSchema,
    status: 200,
    answer: SessionSchema,
  },
  {
    method: 'post',
    path: '/session/demo',
    summary: 'Sign in as a person of the demo depot',
    role: 'anyone',
    body: DemoSignInSchema,
    status: 200,
    answer: SessionSchema,
  },
  { method: 'delete', path: '/session', summary: 'Sign out', role: 'anyone', status: 204 },
  {
    method: 'post',
    path: '/first-lead',
    summary: 'Make the first lead of an empty workshop',
    role: 'anyone',
    body: FirstLeadSchema,
    status: 201,
    answer: SessionSchema,
  },
  {
    method: 'get',
    path: '/people',
    summary: 'People of the workshop',
    role: 'viewer',
    status: 200,
    answer: z.array(PersonSchema),
  },
  {
    method: 'post',
    path: '/people',
    summary: 'Add a person',
    role: 'lead',
    body: NewPersonSchema,
    status: 201,
    answer: PersonSchema,
  },
  {
    method: 'patch',
    path: '/people/{id}',
    summary: 'Change role or qualification',
    role: 'lead',
    body: EditPersonSchema,
    status: 200,
    answer: PersonSchema,
  },
  {
    method: 'get',
    path: '/jobs',
    summary: 'The job board, by what needs a person next',
    role: 'viewer',
    status: 200,
    answer: BoardSchema,
  },
  {
    method: 'post',
    path: '/jobs',
    summary: 'Open a job',
    role: 'technician',
    body: NewJobSchema,
    status: 201,
    answer: z.object({ number: z.int() }),
  },
  {
    method: 'get',
    path: '/jobs/{number}',
    summary: 'One job with its pack, scans and decisions',
    role: 'viewer',
    status: 200,
    answer: JobSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/scans',
    summary: 'Take in a scan file',
    role: 'technician',
    file: true,
    query: ScanQuerySchema,
    status: 201,
    answer: ScanSummarySchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/scans/demo',
    summary: 'Take in a file of the demo depot',
    role: 'technician',
    body: DemoScanSchema,
    status: 201,
    answer: ScanSummarySchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/scans/preview',
    summary: 'Look at a scan file, or its beginning, without taking it',
    role: 'technician',
    file: true,
    query: PreviewQuerySchema,
    status: 200,
    answer: ScanPreviewSchema,
  },
  {
    method: 'post',
    path: '/headings',
    summary: 'Remember what the columns of a heading stand for',
    role: 'technician',
    body: SaveHeadingSchema,
    status: 201,
    answer: z.object({ key: z.string() }),
  },
  {
    method: 'get',
    path: '/definitions',
    summary: 'DBC files and diagnostic field definitions',
    role: 'viewer',
    status: 200,
    answer: z.array(DefinitionSchema),
  },
  {
    method: 'post',
    path: '/definitions',
    summary: 'Add a definition file',
    role: 'technician',
    body: NewDefinitionSchema,
    status: 201,
    answer: DefinitionSchema,
  },
  {
    method: 'get',
    path: '/jobs/{number}/live',
    summary: 'The vehicle being read, or null',
    role: 'viewer',
    status: 200,
    answer: LiveStateSchema.nullable(),
  },
  {
    method: 'post',
    path: '/jobs/{number}/live',
    summary: 'Read a vehicle live through a CAN gateway',
    role: 'technician',
    body: StartLiveSchema,
    status: 201,
    answer: LiveStateSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/live/keep',
    summary: 'End the live scan and take it in',
    role: 'technician',
    status: 201,
    answer: ScanSummarySchema,
  },
  {
    method: 'delete',
    path: '/jobs/{number}/live',
    summary: 'End the live scan without keeping it',
    role: 'technician',
    status: 204,
  },
  {
    method: 'get',
    path: '/jobs/{number}/scans/{id}/picture',
    summary: 'Deviation of every channel through a record',
    role: 'viewer',
    status: 200,
    answer: ScanPictureSchema,
  },
  {
    method: 'get',
    path: '/jobs/{number}/scans/{id}/traces',
    summary: 'Voltages of some channels through a record',
    role: 'viewer',
    query: z.object({ channels: z.string().optional() }),
    status: 200,
    answer: TracesSchema,
  },
  {
    method: 'get',
    path: '/jobs/{number}/findings',
    summary: 'The newest finding of each topic',
    role: 'viewer',
    status: 200,
    answer: z.array(FindingSchema),
  },
  {
    method: 'post',
    path: '/jobs/{number}/findings',
    summary: 'Compute and store a finding',
    role: 'technician',
    body: NewFindingSchema,
    status: 201,
    answer: FindingSchema,
  },
  {
    method: 'get',
    path: '/jobs/{number}/findings/{id}',
    summary: 'One finding',
    role: 'viewer',
    status: 200,
    answer: FindingSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/findings/{id}/recompute',
    summary: 'Compute a stored finding again and compare',
    role: 'viewer',
    status: 200,
    answer: RecomputedSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/decisions',
    summary: 'Sign a decision',
    role: 'technician',
    body: NewDecisionSchema,
    status: 201,
    answer: DecisionSchema,
  },
  {
    method: 'get',
    path: '/jobs/{number}/readings',
    summary: 'Readings, newest first',
    role: 'viewer',
    status: 200,
    answer: z.array(ReadingSchema),
  },
  {
    method: 'post',
    path: '/jobs/{number}/readings',
    summary: 'Record a reading or correct one',
    role: 'technician',
    body: NewReadingSchema,
    status: 201,
    answer: ReadingSchema,
  },
  {
    method: 'get',
    path: '/jobs/{number}/timeline',
    summary: 'The audit trail of a job',
    role: 'viewer',
    query: z.object({ before: z.string().optional() }),
    status: 200,
    answer: z.array(TimelineEntrySchema),
  },
  {
    method: 'get',
    path: '/clocks',
    summary: 'Clocks that run or have ended',
    role: 'viewer',
    status: 200,
    answer: z.array(ClockSchema),
  },
  {
    method: 'post',
    path: '/jobs/{number}/clocks',
    summary: 'Start a clock',
    role: 'technician',
    body: NewClockSchema,
    status: 201,
    answer: ClockSchema,
  },
  {
    method: 'post',
    path: '/clocks/{id}/done',
    summary: 'Put a clock away',
    role: 'technician',
    status: 200,
    answer: ClockSchema,
  },
  {
    method: 'get',
    path: '/packs',
    summary: 'Pack profiles',
    role: 'viewer',
    status: 200,
    answer: z.array(StoredProfileSchema),
  },
  {
    method: 'get',
    path: '/packs/{id}',
    summary: 'One pack profile',
    role: 'viewer',
    status: 200,
    answer: StoredProfileSchema,
  },
  {
    method: 'post',
    path: '/packs',
    summary: 'Make a pack profile',
    role: 'technician',
    body: SaveProfileSchema,
    status: 201,
    answer: StoredProfileSchema,
  },
  {
    method: 'put',
    path: '/packs/{id}',
    summary: 'Save a pack profile',
    role: 'technician',
    body: SaveProfileSchema,
    status: 200,
    answer: StoredProfileSchema,
  },
  {
    method: 'get',
    path: '/jobs/{number}/safety',
    summary: 'Where the lock-out stands',
    role: 'viewer',
    status: 200,
    answer: SafetyViewSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/safety/begin',
    summary: 'Begin a lock-out',
    role: 'technician',
    body: BeginLockoutSchema,
    status: 201,
    answer: SafetyViewSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/safety/steps',
    summary: 'Take one step of the lock-out, in order',
    role: 'technician',
    body: StepDataSchema,
    status: 201,
    answer: SafetyViewSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/safety/close',
    summary: 'Close the gate: re-energised, the shift changed hands, or finished',
    role: 'technician',
    body: CloseLockoutSchema,
    status: 201,
    answer: SafetyViewSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/stops',
    summary: 'Stop: the gate closes at once',
    role: 'technician',
    body: NewStopSchema,
    status: 201,
    answer: StopSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/stops/{id}/end',
    summary: 'End a stop, with the reason',
    role: 'technician',
    body: EndStopSchema,
    status: 200,
    answer: StopSchema,
  },
  {
    method: 'get',
    path: '/workshop',
    summary: 'The workshop’s own rules',
    role: 'viewer',
    status: 200,
    answer: WorkshopSettingsSchema,
  },
  {
    method: 'put',
    path: '/workshop',
    summary: 'Change the workshop’s own rules',
    role: 'lead',
    body: WorkshopSettingsSchema,
    status: 200,
    answer: WorkshopSettingsSchema,
  },
  {
    method: 'get',
    path: '/jobs/{number}/insulation',
    summary: 'What was observed of a leak',
    role: 'viewer',
    status: 200,
    answer: z.array(InsulationEntrySchema),
  },
  {
    method: 'post',
    path: '/jobs/{number}/insulation',
    summary: 'Record an observation; the finding is computed anew',
    role: 'technician',
    body: NewInsulationSchema,
    status: 201,
    answer: FindingSchema,
  },
  {
    method: 'post',
    path: '/jobs/{number}/insulation/stream',
    summary: 'Run a test on an instrument that speaks SCPI, and record it',
    role: 'technician',
    body: StreamTestSchema,
    status: 201,
    answer: FindingSchema,
  },
  {
    method: 'get',
    path: '/stock',
    summary: 'Donor modules on the shelf',
    role: 'viewer',
    status: 200,
    answer: z.array(StockModuleSchema),
  },
  {
    method: 'get',
    path: '/events',
    summary: 'Live changes, as server-sent events',
    role: 'viewer',
    status: 200,
  },
  { method: 'get', path: '/openapi.json', summary: 'This description', role: 'anyone', status: 200 },
];

const schemaOf = (type: z.ZodType): unknown => {
  const schema: Record<string, unknown> = {
    ...z.toJSONSchema(type, { unrepresentable: 'any', io: 'input' }),
  };
  delete schema.$schema;
  return schema;
};
const json = (type: z.ZodType, media = 'application/json'): unknown => ({
  content: { [media]: { schema: schemaOf(type) } },
});

/** The OpenAPI 3.1 document of the API, made from the schemas that parse its bodies. */
export function openApi(version: string): unknown {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const r of ROUTES) {
    const names = [...r.path.matchAll(/\{(\w+)\}/g)].map((m) => m[1]!);
    const query = r.query
      ? Object.entries(
          (schemaOf(r.query) as { properties: Record<string, unknown>; required?: string[] }).properties,
        )
      : [];
    const needed = r.query ? ((schemaOf(r.query) as { required?: string[] }).required ?? []) : [];
    (paths[`/api${r.path}`] ??= {})[r.method] = {
      summary: r.summary,
      'x-role': r.role,
      ...(r.role === 'anyone' ? { security: [] } : {}),
      parameters: [
        ...names.map((name) => ({
          name,
          in: 'path',
          required: true,
          schema: name === 'number' ? { type: 'integer' } : { type: 'string', format: 'uuid' },
        })),
        ...query.map(([name, schema]) => ({ name, in: 'query', required: needed.includes(name), schema })),
        ...(r.method === 'get'
          ? []
          : [
              {
                name: 'Idempotency-Key',
                in: 'header',
                required: false,
                schema: { type: 'string', format: 'uuid' },
              },
            ]),
      ],
      ...(r.body ? { requestBody: { required: true, ...(json(r.body) as object) } } : {}),
      ...(r.file ? { requestBody: { required: true, content: { 'application/octet-stream': {} } } } : {}),
      responses: {
        [r.status]: { description: r.summary, ...(r.answer ? (json(r.answer) as object) : {}) },
        default: {
          description: 'A problem, RFC 9457',
          ...(json(ProblemSchema, 'application/problem+json') as object),
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Bold Cellmend', version },
    paths,
    components: { securitySchemes: { session: { type: 'apiKey', in: 'cookie', name: 'cellmend.sid' } } },
    security: [{ session: [] }],
  };
}
