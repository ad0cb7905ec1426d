export { MESH_CODECS, readMesh, writeMesh } from './mesh-codecs';
