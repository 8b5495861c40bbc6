import type { Sequelize } from 'sequelize';

/** A schema change: its SQL, then what SQL alone cannot say. */
export interface Migration {
  name: string;
  sql: string;
  after?: (sequelize: Sequelize) => Promise<void>;
}
