import {
  missingRuns,
  OTHER_PARTS,
  reachOf,
  type OtherPart,
  type Reach,
  type Terminals,
  type TestedPart,
} from '@cellmend/core/insulation';
import { linksInOrder } from '@cellmend/core/safety';
import type { Pack } from '@cellmend/core/pack';

/** What somebody has said of the leads so far. */
export interface ClipDraft {
  part: TestedPart['part'];
  from: string;
  to: string;
  /** The module that is out, where everything but it is tested; or the one that a piece of is tested. */
  module: string;
  /** The piece of it, such as `half A`. */
  piece: string;
  which: OtherPart;
  terminals: Terminals | null;
}

/** What a tester's leads are on, and what follows from it. */
export interface ClipView {
  tested: TestedPart;
  /** Links that are out when the voltage goes on; those of them that are still to be pulled. */
  open: string[];
  pull: string[];
  /** It matters which pole the lead is on. */
  asksPole: boolean;
  reach: Reach;
  /** What is reached and what is not, in a sentence; empty for what is no module. */
  says: string;
}

export const OTHER_NAMES = Object.entries(OTHER_PARTS).map(([id, { name }]) => ({
  id: id as OtherPart,
  name: name.replace(/^the /, '').replace(/^./, (c) => c.toUpperCase()),
}));

function testedOf(d: ClipDraft): TestedPart {
  switch (d.part) {
    case 'section':
      return { part: 'section', from: d.from, to: d.to };
    case 'except':
      return { part: 'except', module: d.module };
    case 'inside':
      return { part: 'inside', module: d.module, piece: d.piece.trim() };
    case 'other':
      return { part: 'other', which: d.which };
    default:
      return { part: d.part };
  }
}

/** @param out links that are out by the record */
export function clipOf(pack: Pack, draft: ClipDraft, out: readonly string[]): ClipView {
  const tested = testedOf(draft);
  if (tested.part === 'inside') return pieceOf(pack, tested, out);
  const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
  const links = linksInOrder(pack);
  const [a, b] =
    tested.part === 'section'
      ? [order.indexOf(tested.from), order.indexOf(tested.to)].sort((x, y) => x - y)
      : tested.part === 'except'
        ? [order.indexOf(tested.module), order.indexOf(tested.module)]
        : [0, order.length - 1];
  const ends = [links[a! - 1], links[b!]].flatMap((l) => (l ? [l.id] : []));
  const pull = ends.filter((id) => !out.includes(id));
  const open = [...out, ...pull];
  const from = (terminals: Terminals | null): Reach => reachOf(pack, { tested, terminals, open });
  const isConnector = tested.part === 'other' && tested.which === 'pack connector';
  const asksPole = isConnector || from('negative').certain.join() !== from('positive').certain.join();
  const reach = from(draft.terminals ?? (asksPole ? null : 'both'));
  const inside = links.flatMap((l, i) => (l && i >= a! && i < b! && open.includes(l.id) ? [l.id] : []));
  const says = isConnector ? CONNECTOR_SAYS : saysOf(pack, reach, inside);
  return { tested, open, pull, asksPole, reach, says };
}

const CONNECTOR_SAYS =
  'Both its poles joined, contactors open, it reaches the connector, the cables behind it and the contactor board from outside.';

/** A piece of a module, which hangs on nothing. */
function pieceOf(
  pack: Pack,
  tested: Extract<TestedPart, { part: 'inside' }>,
  out: readonly string[],
): ClipView {
  const at = pack.stringOrder.findIndex((m) => pack.modules[m]!.id === tested.module);
  return {
    tested,
    open: [...out],
    pull: [],
    asksPole: false,
    reach: { certain: [at], possible: [at] },
    says: `Reaches one piece of ${tested.module}: a leak is in it, a pass says nothing of the rest.`,
  };
}

function saysOf(pack: Pack, { certain, possible }: Reach, inside: readonly string[]): string {
  if (possible.length === 0) return '';
  const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
  const runs = (at: readonly number[]): string =>
    missingRuns(pack, { missing: order.filter((_, i) => at.includes(i)) });
  const because =
    inside.length > 0 ? `: ${inside.join(' and ')} ${inside.length > 1 ? 'are' : 'is'} out` : '';
  if (certain.length === 0) return `From one pole it reaches one side alone${because}.`;
  const left = order.flatMap((_, i) => (certain.includes(i) ? [] : [i]));
  return `Reaches ${runs(certain)}${left.length > 0 ? `, not ${runs(left)}${because}` : ''}.`;
}
