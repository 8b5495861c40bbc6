export * from './candump';
export * from './dbc';
export * from './isotp';
export * from './uds';
export * from './codes';
export * from './canScan';
