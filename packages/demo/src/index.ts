export * from './harbour-bell';
export * from './noise';
export * from './quad-builder';
