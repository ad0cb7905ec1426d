import { swcProject } from '../../jest.swc.mjs';

const project = swcProject('geometry');
const [[, swc]] = Object.entries(project.transform);
// a library of glTF's library comes as ES modules only
export default { ...project, transform: { '^.+\\.(ts|mjs)$': swc }, transformIgnorePatterns: ['/node_modules/(?!property-graph/)'] };
