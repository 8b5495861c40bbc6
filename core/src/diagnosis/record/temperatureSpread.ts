import type { ScanRecord } from '../../scan';
import { median } from '../../numerics/robustStatistics';

/** How the temperature sensors of a pack agree. */
export interface TemperatureSpread {
  sensors: { name: string; firstC: number; lastC: number; mostC: number }[];
  /** Widest gap between two sensors at one moment, K; null with fewer than two sensors. */
  widestK: number | null;
  /** Sensor that warms most against the others while the pack works. */
  hottest: string | null;
  medianC: number;
  /** Cells are best compared between 20 and 27 °C. Common practice, no source. */
  comparable: boolean;
  /** A sensor further than this from the others warms on its own. Common practice, no source. */
  odd: boolean;
}

const COMPARABLE_C = [20, 27] as const;
const ODD_K = 5;

/** Spread of the temperature sensors of a record; null if it holds none. */
export function temperatureSpread(record: ScanRecord): TemperatureSpread | null {
  const series =
    record.sensors ?? (record.temperatureC ? [{ name: 'pack', series: record.temperatureC }] : []);
  const sensors = series.flatMap(({ name, series: s }) => {
    const known = Array.from(s.value).filter((v) => !Number.isNaN(v));
    return known.length === 0
      ? []
      : [
          {
            name,
            firstC: known[0]!,
            lastC: known[known.length - 1]!,
            mostC: known.reduce((a, b) => Math.max(a, b)),
          },
        ];
  });
  if (sensors.length === 0) return null;
  let widestK: number | null = null;
  if (sensors.length > 1) {
    widestK = 0;
    const length = Math.min(...series.map((s) => s.series.value.length));
    const stride = Math.max(1, Math.floor(length / 500));
    for (let k = 0; k < length; k += stride) {
      const row = series.map((s) => s.series.value[k]!).filter((v) => !Number.isNaN(v));
      if (row.length > 1) widestK = Math.max(widestK, Math.max(...row) - Math.min(...row));
    }
  }
  const all = series.flatMap((s) => Array.from(s.series.value).filter((v) => !Number.isNaN(v)));
  const medianC = median(all);
  const middle = median(sensors.map((s) => s.mostC));
  const hottest = sensors.reduce((a, b) => (b.mostC > a.mostC ? b : a));
  return {
    sensors,
    widestK,
    hottest: sensors.length > 1 ? hottest.name : null,
    medianC,
    comparable: medianC >= COMPARABLE_C[0] - 0.5 && medianC <= COMPARABLE_C[1] + 0.5,
    odd: sensors.length > 1 && hottest.mostC - middle > ODD_K,
  };
}
