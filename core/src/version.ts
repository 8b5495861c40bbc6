/** Version of the computation. Stored with every finding; raised whenever a result could change. */
export const CORE_VERSION = '0.6.0';
