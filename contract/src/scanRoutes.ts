import { z } from 'zod';
import { SpanSchema } from './fields';
import { ScanSummarySchema } from './jobs';
import { BusTraceSchema } from './records';
import { StoredProfileSchema } from './pack';
import type { RouteSpec } from './routeSpec';
import {
  DefinitionSchema,
  CorrectMapSchema,
  MapCheckSchema,
  LiveStateSchema,
  NewDefinitionSchema,
  SaveHeadingSchema,
  SayMomentSchema,
  ScanPictureSchema,
  ScanPreviewSchema,
  StartLiveSchema,
  WatchBusSchema,
  TypedScanSchema,
} from './scans';

export const DemoScanSchema = z.object({
  name: z.string().regex(/^[a-z0-9-]+\.csv$/),
  role: z.enum(['before', 'after']),
});
export const ScanQuerySchema = z.object({
  name: z.string().trim().min(1).max(120),
  role: z.enum(['before', 'after']),
  /** When the file was last written, as the browser tells it. */
  writtenAt: z.iso.datetime({ offset: true }).optional(),
  /** Its own clock is wrong, says whoever takes it in: it has no time until somebody says it. */
  clock: z.enum(['wrong']).optional(),
  /** Which table of an archive. */
  entry: z.string().max(300).optional(),
});
export const PreviewQuerySchema = z.object({
  name: z.string().trim().min(1).max(120),
  entry: z.string().max(300).optional(),
});
/** Voltages within a span: the readings, or of each stretch the lowest and the highest. */
export const TracesSchema = z.object({
  channels: z.array(
    z.object({
      channelIndex: z.int(),
      timeS: z.array(z.number()),
      voltageV: z.array(z.number()),
      /** Readings that one point in two stands for. */
      stretch: z.int(),
    }),
  ),
});
export type Traces = z.infer<typeof TracesSchema>;

/** Addresses of scan files, definitions and live vehicles. */
export const SCAN_ROUTES: RouteSpec[] = [
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
    path: '/jobs/{number}/scans/typed',
    summary: 'Take in voltages that somebody read off, as a record',
    role: 'technician',
    body: TypedScanSchema,
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
    method: 'delete',
    path: '/definitions/{id}',
    summary: 'Take a definition file away; records read by it stay',
    role: 'technician',
    status: 200,
    answer: z.object({ removed: z.string() }),
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
    path: '/jobs/{number}/bus-watch',
    summary: 'Watch the bus through a CAN gateway while the vehicle is switched ready; nothing is stored',
    role: 'technician',
    body: WatchBusSchema,
    status: 200,
    answer: BusTraceSchema.omit({ toldPackV: true }),
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
    path: '/jobs/{number}/map-check',
    summary:
      'Whether voltages metered at the terminals bear out the map of the latest scan; null without both',
    role: 'viewer',
    status: 200,
    answer: MapCheckSchema.nullable(),
  },
  {
    method: 'post',
    path: '/jobs/{number}/map-check',
    summary: 'Correct the map of the pack as the meter says: signed, a new version of its profile',
    role: 'technician',
    body: CorrectMapSchema,
    status: 201,
    answer: StoredProfileSchema,
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
    method: 'post',
    path: '/jobs/{number}/scans/{id}/moment',
    summary: 'Say when a record was made, or correct it with a reason',
    role: 'technician',
    body: SayMomentSchema,
    status: 201,
    answer: z.object({ at: z.string() }),
  },
  {
    method: 'get',
    path: '/jobs/{number}/scans/{id}/traces',
    summary: 'Voltages of some channels through a record',
    role: 'viewer',
    query: SpanSchema.extend({ channels: z.string().optional() }),
    status: 200,
    answer: TracesSchema,
  },
];
