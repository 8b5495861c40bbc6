export * from './options';
export * from './typed';
