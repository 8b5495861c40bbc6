import type { Transaction } from 'sequelize';

/**
 * Independent questions to the database: at once, each on a connection of its own; one after the other within a transaction, which has
 * one connection.
 */
export async function inTurn<T extends readonly (() => Promise<unknown>)[]>(
  tx: Transaction | undefined,
  questions: readonly [...T],
): Promise<{ [K in keyof T]: Awaited<ReturnType<T[K]>> }> {
  const answers: unknown[] = [];
  if (tx) for (const ask of questions) answers.push(await ask());
  else answers.push(...(await Promise.all(questions.map((ask) => ask()))));
  return answers as { [K in keyof T]: Awaited<ReturnType<T[K]>> };
}
