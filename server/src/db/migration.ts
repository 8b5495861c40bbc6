import type { Sequelize, Transaction } from 'sequelize';

/** A schema change: its SQL, then what SQL alone cannot say. */
export interface Migration {
  name: string;
  sql: string;
  after?: (sequelize: Sequelize, transaction: Transaction) => Promise<void>;
}
