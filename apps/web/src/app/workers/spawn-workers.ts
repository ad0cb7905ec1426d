/** The only file that knows where worker bundles are; Jest cannot read `import.meta`. */
export const spawnMeshWorker = (): Worker => new Worker(new URL('./mesh.worker', import.meta.url), { type: 'module' });
export const spawnBlockWorker = (): Worker => new Worker(new URL('./blocks.worker', import.meta.url), { type: 'module' });
export const spawnFieldWorker = (): Worker => new Worker(new URL('./field.worker', import.meta.url), { type: 'module' });
export const spawnFileWorker = (): Worker => new Worker(new URL('./file.worker', import.meta.url), { type: 'module' });
export const spawnBrushWorker = (): Worker => new Worker(new URL('./brush.worker', import.meta.url), { type: 'module' });
