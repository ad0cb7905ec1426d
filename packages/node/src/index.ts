export * from './files';
export * from './hash';
export * from './memory';
export * from './movable';
export * from './outputs';
export * from './priority';
export * from './thread-pool';
export * from './zlib';
