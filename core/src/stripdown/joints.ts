/** A joint that was measured after it was tightened. */
export interface JointReading {
  joint: string;
  /** Joints of one kind are compared with each other: bus-bars with bus-bars, cables with cables. */
  kind: string;
  microohm: number;
}
export interface JudgedJoint extends JointReading {
  medianMicroohm: number | null;
  /** Made again: more than twice what like joints have. Null where too few were measured to tell. */
  remake: boolean | null;
}
/** An outlier is more than this many times the median of its like. numbers.md, joint resistance [T]. */
export const REMAKE_RATIO = 2;
/** Fewer like joints than this say nothing of each other. */
const LEAST_LIKE = 3;

/**
 * Each joint against the median of the others of its kind: itself left out, so that of few joints a bad one does not hide
 * behind the middle it moves.
 */
export function judgeJoints(readings: readonly JointReading[]): JudgedJoint[] {
  return readings.map((r) => {
    const like = readings.filter((o) => o !== r && o.kind === r.kind).map((o) => o.microohm);
    if (like.length < LEAST_LIKE - 1) return { ...r, medianMicroohm: null, remake: null };
    const sorted = [...like].sort((a, b) => a - b);
    const mid = sorted.length >> 1;
    const median = sorted.length % 2 ? sorted[mid]! : (sorted[mid - 1]! + sorted[mid]!) / 2;
    return { ...r, medianMicroohm: median, remake: r.microohm > REMAKE_RATIO * median };
  });
}

/** Joints as they were last made that stand out among their like. */
export function jointsToRemake(
  ticks: readonly {
    part: string;
    off: boolean;
    microohm?: number | null | undefined;
    mistake?: boolean | undefined;
  }[],
  links: readonly { id: string; kind: string }[],
): string[] {
  const last = new Map<string, number | null>();
  for (const t of ticks) {
    last.delete(t.part);
    if (!t.off && !t.mistake) last.set(t.part, t.microohm ?? null);
  }
  return judgeJoints(
    [...last].flatMap(([joint, microohm]) =>
      microohm === null
        ? []
        : [{ joint, kind: links.find((l) => l.id === joint)?.kind ?? 'other', microohm }],
    ),
  )
    .filter((j) => j.remake)
    .map((j) => j.joint);
}

/** A joint as it was measured first and last in a job, µΩ. */
export interface JointHistory {
  joint: string;
  firstMicroohm: number;
  lastMicroohm: number;
  /** It was measured again after it was made anew. */
  remade: boolean;
  torqueNm: number | null;
}

/**
 * What was measured of each joint, first and last, in the order they were measured first. A tick that was a mistake counts for nothing.
 * @example
 * jointHistory([{ part: 'L3', off: false, microohm: 395 }, { part: 'L3', off: true }, { part: 'L3', off: false, microohm: 49 }])
 * // [{ joint: 'L3', firstMicroohm: 395, lastMicroohm: 49, remade: true, torqueNm: null }]
 */
export function jointHistory(
  ticks: readonly {
    part: string;
    off: boolean;
    microohm?: number | null | undefined;
    torqueNm?: number | null | undefined;
    mistake?: boolean | undefined;
  }[],
): JointHistory[] {
  const found = new Map<string, JointHistory>();
  for (const t of ticks) {
    if (t.off || t.mistake || t.microohm == null) continue;
    const before = found.get(t.part);
    found.set(t.part, {
      joint: t.part,
      firstMicroohm: before?.firstMicroohm ?? t.microohm,
      lastMicroohm: t.microohm,
      remade: before !== undefined,
      torqueNm: t.torqueNm ?? null,
    });
  }
  return [...found.values()];
}

/** What joints beside some modules showed, held against their like. */
export interface JointsBeside {
  /** More than twice their like: the joint it is. */
  high: JudgedJoint[];
  /** Measured, and like the others. */
  alike: JudgedJoint[];
}

/**
 * Joints at the ends of some modules as they were measured last, held against their like; null where none of them was measured, or too
 * few to tell.
 * @param measured newest resistance of each joint
 */
export function jointsBeside(
  modules: readonly string[],
  measured: readonly JointReading[],
  links: readonly { id: string; between: readonly [string, string] | readonly string[] }[],
): JointsBeside | null {
  const beside = new Set(links.filter((l) => modules.some((m) => l.between.includes(m))).map((l) => l.id));
  const told = judgeJoints(measured).filter((j) => beside.has(j.joint) && j.remake !== null);
  return told.length === 0
    ? null
    : { high: told.filter((j) => j.remake), alike: told.filter((j) => !j.remake) };
}
