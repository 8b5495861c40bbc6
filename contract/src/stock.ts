import { CHEMISTRIES } from '@cellmend/core/pack';
import { z } from 'zod';

export const StockModuleSchema = z.object({
  id: z.uuid(),
  label: z.string(),
  chemistry: z.enum(CHEMISTRIES),
  groupCount: z.int().min(1),
  revision: z.string().optional(),
  capacityAh: z.number().gt(0),
  resistanceMilliohm: z.number().gt(0),
  restVoltageV: z.number().gt(0),
  temperatureC: z.number(),
  insulationOhm: z.number().gt(0).optional(),
  origin: z.string(),
});
export type StockModule = z.infer<typeof StockModuleSchema>;
