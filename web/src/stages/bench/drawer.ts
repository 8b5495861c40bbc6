import type { Resistor } from '@cellmend/core/bench';

/** Reads `4 × 10 Ω 100 W, 2.2 50`: how many, what, and what each bears. Null where something cannot be read. */
export function readDrawer(text: string): Resistor[] | null {
  const out: Resistor[] = [];
  for (const part of text
    .split(/[;\n]|,(?=\s)/)
    .map((p) => p.trim())
    .filter(Boolean)) {
    const m = /^(?:(\d{1,2})\s*[x×*]\s*)?(\d+(?:[.,]\d+)?)\s*(?:Ω|ohm|r)?\s+(\d+(?:[.,]\d+)?)\s*w?$/i.exec(
      part,
    );
    if (!m) return null;
    const [ohm, watt] = [Number(m[2]!.replace(',', '.')), Number(m[3]!.replace(',', '.'))];
    for (let i = 0; i < Number(m[1] ?? 1); i++) out.push({ id: `${ohm} Ω`, ohm, watt });
  }
  return out.length > 0 ? out : null;
}
