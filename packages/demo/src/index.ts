export * from './harbour-bell';
export * from './mooring-buoy';
export * from './noise';
export * from './quad-builder';
export * from './quay-stone';
export * from './stack-of';
