// npm run bench [topic …]: side-by-side figures, as ratios within one run.
// npm run bench diagnosis -- --without RULE|all: what each rule of the diagnosis is worth.
import { parseArgs } from 'node:util';
import { throwAwayCluster } from '../../scripts/lib/postgres.mjs';
import { benchAttack } from './attack';
import { benchControl } from './control';
import { benchDiagnosis } from './diagnosis';
import { benchHolds } from './holds';
import { benchImports } from './imports';
import { benchLong } from './long';
import { benchOutputs } from './outputs';
import { benchRules } from './rules';
import { benchPlans } from './plans';
import { benchRecords } from './records';
import { benchScan } from './scan';
import { benchString } from './string';
import { benchTyping } from './typing';

const TOPICS: Record<string, () => Promise<void>> = {
  scan: benchScan,
  imports: benchImports,
  diagnosis: benchDiagnosis,
  records: benchRecords,
  holds: benchHolds,
  attack: benchAttack,
  outputs: benchOutputs,
  control: benchControl,
  plans: benchPlans,
  long: benchLong,
  string: benchString,
  typing: benchTyping,
};
const { values, positionals: wanted } = parseArgs({
  options: { without: { type: 'string' } },
  allowPositionals: true,
});
if (values.without !== undefined) {
  benchRules(values.without);
  process.exit();
}
const unknown = wanted.filter((w) => !(w in TOPICS));
if (unknown.length > 0) {
  console.error(`No such benchmark: ${unknown.join(', ')}. There are: ${Object.keys(TOPICS).join(', ')}.`);
  process.exit(2);
}
const cluster = await throwAwayCluster();
process.env.TEST_DATABASE_BASE = cluster.url('');
process.env.TEST_DATABASE_APP_BASE = cluster.appUrl('');
try {
  for (const [name, run] of Object.entries(TOPICS))
    if (wanted.length === 0 || wanted.includes(name)) await run();
} finally {
  cluster.stop();
}
