export { MESH_CODECS, readMesh, writeMesh } from './mesh-codecs';
export { zippedMeshes } from './zipped-meshes';
