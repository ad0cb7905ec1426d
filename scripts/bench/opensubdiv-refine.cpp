// CPU seconds that OpenSubdiv takes to refine a mesh with face-varying UVs: a baseline of `npm run bench` where its headers are installed (Debian:
// libosd-dev). Reads one file, little endian: uint32 P, F, C, U, levels; float32[3 P] positions; int32[F] corners a face; int32[C] points;
// float32[2 U] UVs; int32[C] UVs of corners. Edges and corners of the boundary are held, UVs are linear: what the core does by default.
// Prints the faces of the last level and CPU seconds, best of three: topology of every level, then points and UVs of every level.
#include "opensubdiv.h"

int main(int, char** argv) {
  FILE* f = fopen(argv[1], "rb");
  if (!f) return 1;
  const auto n = read<uint32_t>(f, 5);
  const int levels = n[4];
  const Mesh mesh = readMesh(f, n.data());
  double best = 1e30;
  int faces = 0;
  for (int run = 0; run < 3; run++) {
    const double from = cpu();
    auto p = mesh.points;
    auto uv = mesh.uvs;
    const Refiner refiner = refine(mesh, levels, false, p, uv);
    faces = refiner->GetLevel(levels).GetNumFaces();
    const double took = cpu() - from;
    if (took < best) best = took;
  }
  printf("%d %.4f\n", faces, best);
}
