export * from './files';
export * from './hash';
export * from './thread-pool';
export * from './zlib';
