import type { Finding, FindingOf, FindingTopic } from './findings';

/** The newest finding of a topic, and of a subject where one is named; findings are listed newest first. */
export const findingOf = <T extends FindingTopic>(
  findings: readonly Finding[] | undefined,
  topic: T,
  subject?: string,
): FindingOf<T> | undefined =>
  findings?.find(
    (f): f is FindingOf<T> => f.topic === topic && (subject === undefined || f.subject === subject),
  );
