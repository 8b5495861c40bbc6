/** Ticks the step that is named, or the next one; what it did, in words. Null: nothing can be ticked where this page stands. */
type Tick = (part: string | null) => string;
let ticks: Tick | null = null;

/** The page that can tick says so while it is shown. */
export function whenDone(tick: Tick): () => void {
  ticks = tick;
  return () => {
    if (ticks === tick) ticks = null;
  };
}
export const tickNow = (part: string | null): string | null => ticks?.(part) ?? null;
