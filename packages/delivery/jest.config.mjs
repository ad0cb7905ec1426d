import { swcProject } from '../../jest.swc.mjs';
export default swcProject('delivery');
