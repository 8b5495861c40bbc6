export * from './triage';
