export * from './names';
export * from './map-of-delivery';
export * from './made-map';
export * from './pictures';
export * from './set-up-sheet';
export * from './zip';
export * from './manifest';
export * from './prove-made';
