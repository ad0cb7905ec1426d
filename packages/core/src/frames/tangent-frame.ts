/** Three directions at a place, as columns of x T + y B + z N. One object a thread: it holds the frame last set. */
export class TangentFrame {
  protected tx = 1;
  protected ty = 0;
  protected tz = 0;
  protected bx = 0;
  protected by = 1;
  protected bz = 0;
  protected nx = 0;
  protected ny = 0;
  protected nz = 1;

  /** The orthonormal frame of a unit normal and a direction along which U grows: T is its part across N, B = handedness (N x T).
   *  Where the direction has no part across N, some direction across N stands in. */
  setAcross(nx: number, ny: number, nz: number, ux: number, uy: number, uz: number, handedness: number): void {
    const along = ux * nx + uy * ny + uz * nz;
    let tx = ux - along * nx, ty = uy - along * ny, tz = uz - along * nz; // prettier-ignore
    let length = Math.sqrt(tx * tx + ty * ty + tz * tz);
    if (!(length > 1e-12 * Math.sqrt(ux * ux + uy * uy + uz * uz))) {
      // the axis that N leans on least, made perpendicular to N
      const x = Math.abs(nx) <= Math.abs(ny) && Math.abs(nx) <= Math.abs(nz);
      const y = !x && Math.abs(ny) <= Math.abs(nz);
      const lean = x ? nx : y ? ny : nz;
      tx = (x ? 1 : 0) - lean * nx;
      ty = (y ? 1 : 0) - lean * ny;
      tz = (x || y ? 0 : 1) - lean * nz;
      length = Math.sqrt(tx * tx + ty * ty + tz * tz);
    }
    this.tx = tx / length;
    this.ty = ty / length;
    this.tz = tz / length;
    this.nx = nx;
    this.ny = ny;
    this.nz = nz;
    this.completeBitangent(handedness);
  }

  /** B = handedness (N x T). */
  protected completeBitangent(handedness: number): void {
    this.bx = handedness * (this.ny * this.tz - this.nz * this.ty);
    this.by = handedness * (this.nz * this.tx - this.nx * this.tz);
    this.bz = handedness * (this.nx * this.ty - this.ny * this.tx);
  }

  /** Components of an object-space direction: solves D = x T + y B + z N. Writes out[o..o+2]; zeros where the frame has no volume. */
  toFrame(out: Float32Array | Float64Array, o: number, dx: number, dy: number, dz: number): void {
    const { tx, ty, tz, bx, by, bz, nx, ny, nz } = this;
    const cx = by * nz - bz * ny, cy = bz * nx - bx * nz, cz = bx * ny - by * nx; // prettier-ignore
    const det = tx * cx + ty * cy + tz * cz;
    const k = det === 0 ? 0 : 1 / det;
    out[o] = k * (dx * cx + dy * cy + dz * cz);
    out[o + 1] = k * (tx * (dy * nz - dz * ny) + ty * (dz * nx - dx * nz) + tz * (dx * ny - dy * nx));
    out[o + 2] = k * (tx * (by * dz - bz * dy) + ty * (bz * dx - bx * dz) + tz * (bx * dy - by * dx));
  }

  /** Object-space direction x T + y B + z N, not normalised. */
  fromFrame(out: Float32Array | Float64Array, o: number, x: number, y: number, z: number): void {
    out[o] = x * this.tx + y * this.bx + z * this.nx;
    out[o + 1] = x * this.ty + y * this.by + z * this.ny;
    out[o + 2] = x * this.tz + y * this.bz + z * this.nz;
  }
}
