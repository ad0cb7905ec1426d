export * from './api';
export * from './measure-recipe';
export * from './map-record';
export * from './recipe';
export * from './manifest';
export * from './plain-name';
export * from './plain-text';
