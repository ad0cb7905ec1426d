export * from './api';
export * from './map-record';
