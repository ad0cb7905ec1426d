export * from './map-record';
