// CPU seconds that OpenSubdiv takes to refine a mesh with face-varying UVs: a baseline of `npm run bench` where its headers are installed (Debian:
// libosd-dev). Reads one file, little endian: uint32 P, F, C, U, levels; float32[3 P] positions; int32[F] corners a face; int32[C] points;
// float32[2 U] UVs; int32[C] UVs of corners. Edges and corners of the boundary are held, UVs are linear: what the core does by default.
// Prints the faces of the last level and CPU seconds, best of three: topology of every level, then points and UVs of every level.
#include <cstdint>
#include <cstdio>
#include <ctime>
#include <memory>
#include <vector>
#include <opensubdiv/far/primvarRefiner.h>
#include <opensubdiv/far/topologyDescriptor.h>
using namespace OpenSubdiv;

template <int N> struct Values {
  float v[N];
  void Clear(void* = nullptr) { for (float& x : v) x = 0; }
  void AddWithWeight(const Values& o, float w) { for (int k = 0; k < N; k++) v[k] += w * o.v[k]; }
};
static double cpu() {
  timespec t;
  clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &t);
  return t.tv_sec + 1e-9 * t.tv_nsec;
}
template <class T> static std::vector<T> read(FILE* f, size_t n) {
  std::vector<T> out(n);
  if (fread(out.data(), sizeof(T), n, f) != n) exit(1);
  return out;
}

int main(int, char** argv) {
  FILE* f = fopen(argv[1], "rb");
  if (!f) return 1;
  const auto n = read<uint32_t>(f, 5);
  const int levels = n[4];
  const auto points = read<Values<3>>(f, n[0]);
  const auto sizes = read<int>(f, n[1]);
  const auto corners = read<int>(f, n[2]);
  const auto uvs = read<Values<2>>(f, n[3]);
  const auto uvCorners = read<int>(f, n[2]);
  Far::TopologyDescriptor d;
  d.numVertices = n[0], d.numFaces = n[1], d.numVertsPerFace = sizes.data(), d.vertIndicesPerFace = corners.data();
  Far::TopologyDescriptor::FVarChannel channel;
  channel.numValues = n[3], channel.valueIndices = uvCorners.data();
  d.numFVarChannels = 1, d.fvarChannels = &channel;
  Sdc::Options options;
  options.SetVtxBoundaryInterpolation(Sdc::Options::VTX_BOUNDARY_EDGE_AND_CORNER);
  options.SetFVarLinearInterpolation(Sdc::Options::FVAR_LINEAR_ALL);
  double best = 1e30;
  int faces = 0;
  for (int run = 0; run < 3; run++) {
    const double from = cpu();
    using Factory = Far::TopologyRefinerFactory<Far::TopologyDescriptor>;
    std::unique_ptr<Far::TopologyRefiner> refiner(Factory::Create(d, Factory::Options(Sdc::SCHEME_CATMARK, options)));
    Far::TopologyRefiner::UniformOptions uniform(levels);
    uniform.fullTopologyInLastLevel = false;
    refiner->RefineUniform(uniform);
    Far::PrimvarRefiner primvar(*refiner);
    std::vector<Values<3>> p = points;
    std::vector<Values<2>> uv = uvs;
    for (int k = 1; k <= levels; k++) {
      const auto& level = refiner->GetLevel(k);
      std::vector<Values<3>> nextP(level.GetNumVertices());
      std::vector<Values<2>> nextUv(level.GetNumFVarValues(0));
      primvar.Interpolate(k, p, nextP);
      primvar.InterpolateFaceVarying(k, uv, nextUv, 0);
      p.swap(nextP);
      uv.swap(nextUv);
    }
    faces = refiner->GetLevel(levels).GetNumFaces();
    const double took = cpu() - from;
    if (took < best) best = took;
  }
  printf("%d %.4f\n", faces, best);
}
