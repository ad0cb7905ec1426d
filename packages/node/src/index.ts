export * from './files';
export * from './hash';
export * from './outputs';
export * from './thread-pool';
export * from './zlib';
