export * from './triage';
export * from './remembered';
