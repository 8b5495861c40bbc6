import { BaseSequencer, type TestSpecification } from 'vitest/node';

/** Test files that take longest, so that none of them begins when the other core has nothing left to do. */
const LONGEST = [
  'access',
  'plugIn',
  'trust',
  'jot',
  'instruments',
  'worlds',
  'widths',
  'backup',
  'scans',
  'trialJobs',
  'outage',
  'due',
  'leaps',
  'channelFit',
  'deadSpot',
];
const rank = ({ moduleId }: TestSpecification): number => {
  const at = LONGEST.indexOf(/([^/]+?)\.(?:unit\.)?test\.tsx?$/.exec(moduleId)?.[1] ?? '');
  return at < 0 ? LONGEST.length : at;
};

export class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    return (await super.sort(files)).sort((a, b) => rank(a) - rank(b));
  }
}
