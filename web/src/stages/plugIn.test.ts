import { join, relative } from 'node:path';
import ts from 'typescript';
import { describe, expect, it } from 'vitest';

// What carrying on promises: how many files something new touches outside its own. The whole program is compiled with
// it added in memory; every file the compiler then complains about is one more that would have to change.

const root = join(import.meta.dirname, '../../..');
const config = ts.parseJsonConfigFileContent(
  ts.readConfigFile(join(root, 'tsconfig.json'), (p) => ts.sys.readFile(p)).config,
  ts.sys,
  root,
);
const names = config.fileNames.filter((f) => !/\.test\.tsx?$|\/(e2e|bench)\//.test(f));

/** A change: a file and what becomes of its text; a file of its own is new. */
type Edit = [file: string, change: (text: string) => string];

/** Compiles the program with the edits in it and tells in which files it fails, and how. */
function compile(edits: Edit[]): { file: string; says: string }[] {
  const changed = new Map<string, string>();
  for (const [file, change] of edits) {
    const path = join(root, file);
    const before = changed.get(path) ?? ts.sys.readFile(path) ?? '';
    const after = change(before);
    if (after === before) throw new Error(`Nothing was changed in ${file}.`);
    changed.set(path, after);
  }
  const host = ts.createCompilerHost(config.options);
  const read = host.readFile.bind(host);
  const exists = host.fileExists.bind(host);
  host.readFile = (path) => changed.get(path) ?? read(path);
  host.fileExists = (path) => changed.has(path) || exists(path);
  host.getSourceFile = (path, version) => {
    const text = changed.get(path) ?? read(path);
    return text === undefined ? undefined : ts.createSourceFile(path, text, version);
  };
  const program = ts.createProgram([...new Set([...names, ...changed.keys()])], config.options, host);
  return ts.getPreEmitDiagnostics(program).map((d) => ({
    file: d.file ? relative(root, d.file.fileName) : 'nowhere',
    says: ts.flattenDiagnosticMessageText(d.messageText, '\n'),
  }));
}
const after =
  (line: string, added: string) =>
  (text: string): string =>
    text.replace(line, line + added);

const STAGE: Edit = [
  'core/src/route/stages.ts',
  (text) =>
    after(
      "  'hand-over',\n",
      "  'survey',\n",
    )(text).replace(
      'STAGE_FACTS: Record<Stage, StageFacts> = {\n',
      "STAGE_FACTS: Record<Stage, StageFacts> = {\n  survey: { name: 'Survey', phase: 'Return', question: 'How does it do a year on?' },\n",
    ),
];
const ADDED: Record<string, Edit[]> = {
  'a stage: its facts and its page': [
    STAGE,
    [
      'web/src/stages/index.ts',
      after("  bench: lazily(() => import('./bench/BenchStage'), 'BenchStage'),\n", '  survey: NOTES,\n'),
    ],
  ],
  'a chemistry: one complete record and its line': [
    [
      'core/src/pack/chemistry/lto.ts',
      () =>
        "import type { ChemistryFacts } from './facts';\nimport { LFP } from './lfp';\nexport const LTO: ChemistryFacts = { ...LFP, name: 'LTO' };\n",
    ],
    [
      'core/src/pack/chemistry/index.ts',
      (text) =>
        after(
          '  nimh: NIMH,\n',
          '  lto: LTO,\n',
        )(text).replace(
          "import { LMO } from './lmo';\n",
          "import { LMO } from './lmo';\nimport { LTO } from './lto';\n",
        ),
    ],
  ],
  'a measure: one entry': [
    [
      'core/src/route/measures.ts',
      (text) =>
        text.replace(
          "  monitor: { name: 'monitor only'",
          "  'clean-fan': { name: 'clean the fan', on: 'part', ends: 'repaired', needs: ['sealed'] },\n  monitor: { name: 'monitor only'",
        ),
    ],
  ],
  'an instrument: its driver and its name': [
    [
      'devices/src/drivers.ts',
      (text) =>
        text.replace(
          "'scpi-insulation-tester': openScpiTester,",
          "'scpi-insulation-tester': openScpiTester,\n  'scpi-other': openScpiTester,",
        ),
    ],
    [
      'contract/src/instrumentKinds.ts',
      after(
        "  'scpi-insulation-tester': 'Insulation tester, SCPI over TCP',\n",
        "  'scpi-other': 'Another',\n",
      ),
    ],
  ],
};

/** A stage without its page, and a verdict without its words. */
const HALF: Edit[] = [
  [
    'core/src/route/stages.ts',
    (text) =>
      after(
        "  'hand-over',\n",
        "  'audit',\n",
      )(text).replace(
        'STAGE_FACTS: Record<Stage, StageFacts> = {\n',
        "STAGE_FACTS: Record<Stage, StageFacts> = {\n  audit: { name: 'Audit', phase: 'Return', question: 'Was it done as it says?' },\n",
      ),
  ],
  ['core/src/diagnosis/verdict.ts', after("  'dead',\n", "  'swollen',\n")],
];

describe('something new is a file of its own and few lines elsewhere', () => {
  it.each(Object.entries(ADDED))('%s, at most two files', (_what, edits) => {
    expect(edits.length).toBeLessThanOrEqual(2);
  });

  // The compiler needs its time for the whole program, so it is asked once, for what is complete and for what is half there.
  const failing = compile([...Object.values(ADDED).flat(), ...HALF]);
  const filesOf = (name: string): string[] => [
    ...new Set(
      failing.filter((f) => f.says.includes(`'${name}'`) || f.says.includes(`"${name}"`)).map((f) => f.file),
    ),
  ];

  it('all of them compile together, with nothing else changed', () => {
    // Whatever fails does so for want of what is half there.
    const others = failing.filter((f) => !/['"](swollen|audit)['"]/.test(f.says));
    expect(others).toEqual([]);
  });

  it('what is half there does not compile; a verdict is known to its own file and at most three others', () => {
    expect(filesOf('audit')).toEqual(['web/src/stages/index.ts']);
    expect(filesOf('swollen').length).toBeGreaterThan(0);
    expect(filesOf('swollen').length).toBeLessThanOrEqual(3);
  });
});
