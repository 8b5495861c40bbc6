import { TIME_UNITS, type ColumnMapping, type Target } from '@cellmend/core/scan';
import { parseDbc, type SignalDefinition, type UdsFile } from '@cellmend/core/can';
import { RECORD_ENDS } from '@cellmend/core/jot';
import { ObservedAtSchema } from './fields';
import { z } from 'zod';

/** What a column or signal stands for. */
export const TargetSchema: z.ZodType<Target> = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('time'), unit: z.enum(TIME_UNITS) }),
  z.object({
    kind: z.literal('current'),
    unit: z.enum(['A', 'mA']),
    positive: z.enum(['discharge', 'charge']),
  }),
  z.object({ kind: z.literal('temperature'), unit: z.enum(['C', 'F', 'K']) }),
  z.object({ kind: z.literal('soc'), unit: z.enum(['percent', 'fraction']) }),
  z.object({ kind: z.literal('pack-voltage'), unit: z.enum(['V', 'mV']) }),
  z.object({ kind: z.literal('insulation'), unit: z.enum(['ohm', 'kohm', 'Mohm']) }),
  z.object({
    kind: z.literal('channel'),
    channelIndex: z.int().min(0).max(999),
    unit: z.enum(['V', 'mV']),
  }),
  z.object({ kind: z.literal('ignore') }),
]);

export const ColumnMappingSchema: z.ZodType<ColumnMapping> = z.object({
  layout: z.enum(['wide', 'long']),
  delimiter: z.string().max(1),
  decimal: z.enum(['.', ',']),
  targets: z.array(TargetSchema).max(2000),
  signalColumn: z.int().min(0).max(2000).optional(),
  valueColumn: z.int().min(0).max(2000).optional(),
  signals: z.record(z.string().max(200), TargetSchema).optional(),
  intervalS: z.number().gt(0).max(86_400).optional(),
  directionConfirmed: z.boolean().optional(),
});

/** A heading with what its columns stand for: asked once, then remembered. */
export const SaveHeadingSchema = z.object({
  names: z.array(z.string().max(200)).min(1).max(2000),
  mapping: ColumnMappingSchema,
});
export type SaveHeading = z.infer<typeof SaveHeadingSchema>;

export const FILE_FORMATS = ['table', 'spreadsheet', 'can', 'typed'] as const;
export type FileFormat = (typeof FILE_FORMATS)[number];
export const FileFormatSchema = z.enum(FILE_FORMATS);

/** Voltages of every channel at one moment, as somebody read them off: a record as good as a file. */
export const TypedScanSchema = z.object({
  role: z.enum(['before', 'after']),
  end: z.enum(RECORD_ENDS),
  how: z.enum(['typed', 'walked']),
  /** Volts in the order of the pack's channels; null where none was read. */
  volts: z.array(z.number().min(-100).max(2000).nullable()).min(1).max(1000),
  /** Amperes at that moment, positive on discharge; 0 with nothing flowing. Null where nobody knows. */
  currentA: z.number().min(-2000).max(2000).nullable(),
  temperatureC: z.number().min(-60).max(120).nullable(),
  /** Of the whole pack, V, and the charge that the vehicle shows; left out where nobody read them. */
  packV: z.number().min(0).max(2000).nullish(),
  shownSocFraction: z.number().min(0).max(1.2).nullish(),
  observedAt: ObservedAtSchema,
});
export type TypedScan = z.infer<typeof TypedScanSchema>;

/** What voltages metered at the terminals say of the map that a scan was read by. */
export const MapCheckSchema = z.object({
  scan: z.string(),
  metered: z.string(),
  verdict: z.enum(['proven', 'disproven', 'cannot-tell']),
  compared: z.int(),
  offsetV: z.number(),
  off: z.array(z.object({ channelIndex: z.int(), differenceV: z.number() })),
  instead: z.array(z.object({ channelIndex: z.int(), shows: z.int() })),
  odds: z.array(z.object({ says: z.string(), share: z.number() })),
  says: z.string(),
});
export type MapChecked = z.infer<typeof MapCheckSchema>;
/** The order that is signed: the one that was offered, as it was shown. */
export const CorrectMapSchema = z.object({ instead: MapCheckSchema.shape.instead.min(2).max(1000) });

/** What a file seems to hold, for a person to confirm. */
export const ScanPreviewSchema = z.object({
  format: FileFormatSchema,
  names: z.array(z.string()),
  rows: z.array(z.array(z.string())),
  mapping: ColumnMappingSchema,
  signals: z.array(z.object({ name: z.string(), sample: z.string(), target: TargetSchema })),
  missingChannels: z.array(z.string()),
  unused: z.array(z.string()),
  clear: z.boolean(),
  /** Several rows and no time: how far they are apart has to be said. */
  untimed: z.boolean(),
  remembered: z.boolean(),
  /** Names of the definition files that were used, for a CAN log. */
  definitions: z.array(z.string()),
  /** Tables of an archive that holds several: each is looked at and taken in by itself. */
  entries: z.array(z.string()),
});
export type ScanPreview = z.infer<typeof ScanPreviewSchema>;

const address = z.int().min(0).max(0x1fffffff);
const field = z.object({
  name: z.string().trim().min(1).max(80),
  byte: z.int().min(0).max(4095),
  bytes: z.int().min(1).max(6),
  signed: z.boolean().optional(),
  scale: z.number().optional(),
  offset: z.number().optional(),
  unit: z.string().max(20).optional(),
  repeat: z.int().min(1).max(400).optional(),
});

/** Our own open form of diagnostic field definitions. */
export const UdsFileSchema: z.ZodType<UdsFile> = z.object({
  format: z.literal('cellmend-uds-1'),
  name: z.string().trim().min(1).max(120),
  requestId: address,
  responseId: address,
  extended: z.boolean().optional(),
  records: z
    .array(
      z.object({
        identifier: z.int().min(0).max(0xffff),
        name: z.string().trim().min(1).max(120),
        fields: z.array(field).min(1).max(200),
      }),
    )
    .min(1)
    .max(200),
});

export const DefinitionSchema = z.object({
  id: z.uuid(),
  name: z.string(),
  kind: z.enum(['dbc', 'uds']),
  signals: z.int(),
  addedBy: z.string(),
});
export type Definition = z.infer<typeof DefinitionSchema>;
export const NewDefinitionSchema = z.object({
  name: z.string().trim().min(1).max(120),
  text: z.string().min(1).max(900_000),
});

/** Reads a definition file of either kind. @throws InputProblem or ZodError */
export function readDefinition(name: string, text: string): SignalDefinition {
  return text.trimStart().startsWith('{')
    ? { kind: 'uds', name, file: UdsFileSchema.parse(JSON.parse(text)) }
    : { kind: 'dbc', name, messages: parseDbc(text) };
}

/** When a record was made, as somebody said it: a file without a clock has no time by itself. */
export const RecordMomentSchema = z.object({ scanId: z.uuid(), at: z.iso.datetime({ offset: true }) });
export const SayMomentSchema = z.object({
  at: z.iso.datetime({ offset: true }),
  /** Needed where the record has a time already. */
  reason: z.string().trim().max(500).default(''),
});

/** Where a live vehicle is reached: a gateway that speaks the socketcand protocol, or the demo vehicle. */
const SourceSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('demo') }),
  z.object({
    kind: z.literal('socketcand'),
    host: z.string().trim().min(1).max(200),
    port: z.int().min(1).max(65535),
    bus: z
      .string()
      .trim()
      .regex(/^[A-Za-z0-9_-]{1,15}$/, 'A bus name such as can0.'),
    definitionId: z.uuid(),
  }),
]);
export const StartLiveSchema = z.object({
  source: SourceSchema,
  role: z.enum(['before', 'after']),
});
/** The bus is watched for so long while somebody switches the vehicle ready. */
export const WatchBusSchema = z.object({ source: SourceSchema, seconds: z.number().min(2).max(60) });
export const LiveStateSchema = z.object({
  id: z.uuid(),
  state: z.enum(['connecting', 'reading', 'stopped', 'failed']),
  message: z.string(),
  role: z.enum(['before', 'after']),
  startedAt: z.string(),
  readings: z.int(),
  codes: z.array(z.object({ code: z.string(), status: z.int() })),
  /** The vehicle has answered which codes are set; until then none is not none. */
  codesRead: z.boolean(),
  currentA: z.number().nullable(),
  socFraction: z.number().nullable(),
  /** The whole pack as the vehicle measures it, V, and its own insulation figure, Ω. */
  packV: z.number().nullable(),
  insulationOhm: z.number().nullable(),
  temperatureC: z.number().nullable(),
  /** Newest of each temperature that it reports, °C, by its name. */
  sensorsC: z.record(z.string(), z.number()),
  /** Newest volts of each channel, in order; null where none came yet. */
  voltageV: z.array(z.number().nullable()),
});
export type LiveState = z.infer<typeof LiveStateSchema>;

export const ScanPictureSchema = z.object({
  timeS: z.array(z.number()),
  currentA: z.array(z.number().nullable()),
  deviationMv: z.array(z.array(z.number().nullable())),
});
export type ScanPicture = z.infer<typeof ScanPictureSchema>;
