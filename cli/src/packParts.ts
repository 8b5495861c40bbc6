import type { LinkSpec, ModuleSpec } from '@cellmend/core/pack';

export const two = (n: number): string => String(n).padStart(2, '0');
export const three = (n: number): string => String(n).padStart(3, '0');

export const linksOf = (modules: ModuleSpec[], disconnectAfter: number): LinkSpec[] =>
  modules.slice(1).map((m, i) => ({
    id: `L${i + 1}`,
    between: [modules[i]!.id, m.id],
    kind: i + 1 === disconnectAfter ? 'service-disconnect' : 'busbar',
    accessMin: i + 1 === disconnectAfter ? 1 : 5,
  }));
