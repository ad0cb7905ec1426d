export * from './api';
export * from './map-record';
export * from './recipe';
export * from './manifest';
