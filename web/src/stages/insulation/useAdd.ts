import type { NewInsulation } from '@cellmend/contract/insulation';
import { useWrite, type Write } from '../../shell/useWrite';

/** Records an observation; the finding is computed anew with it. */
export function useAdd(): Pick<Write, 'busy' | 'problem' | 'forget'> & {
  add: (entry: NewInsulation) => Promise<boolean>;
} {
  const write = useWrite();
  return {
    busy: write.busy,
    problem: write.problem,
    forget: write.forget,
    add: async (entry) => (await write.run('/insulation', entry)) !== null,
  };
}
