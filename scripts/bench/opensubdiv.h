// What the programs against OpenSubdiv share: a mesh with face-varying UVs, refined as the core does by default (edges and corners of the boundary
// held, UVs linear).
#pragma once
#include "process.h"
#include <memory>
#include <opensubdiv/far/primvarRefiner.h>
#include <opensubdiv/far/topologyDescriptor.h>

template <int N> struct Values {
  float v[N];
  void Clear(void* = nullptr) { for (float& x : v) x = 0; }
  void AddWithWeight(const Values& o, float w) { for (int k = 0; k < N; k++) v[k] += w * o.v[k]; }
};

struct Mesh {
  std::vector<Values<3>> points;
  std::vector<int> sizes, corners;
  std::vector<Values<2>> uvs;
  std::vector<int> uvCorners;
};

/** float32[3 P] positions; int32[F] corners a face; int32[C] points; float32[2 U] UVs; int32[C] UVs of corners. @param n P, F, C, U */
static Mesh readMesh(FILE* f, const uint32_t* n) {
  Mesh m;
  m.points = read<Values<3>>(f, n[0]);
  m.sizes = read<int>(f, n[1]);
  m.corners = read<int>(f, n[2]);
  m.uvs = read<Values<2>>(f, n[3]);
  m.uvCorners = read<int>(f, n[2]);
  return m;
}

using Refiner = std::unique_ptr<OpenSubdiv::Far::TopologyRefiner>;

/** Topology of all levels; points and UVs of the last one in place of the given ones. */
static Refiner refine(const Mesh& m, int levels, bool isFull, std::vector<Values<3>>& p, std::vector<Values<2>>& uv) {
  using namespace OpenSubdiv;
  Far::TopologyDescriptor d;
  d.numVertices = m.points.size(), d.numFaces = m.sizes.size(), d.numVertsPerFace = m.sizes.data(), d.vertIndicesPerFace = m.corners.data();
  Far::TopologyDescriptor::FVarChannel channel;
  channel.numValues = m.uvs.size(), channel.valueIndices = m.uvCorners.data();
  d.numFVarChannels = 1, d.fvarChannels = &channel;
  Sdc::Options options;
  options.SetVtxBoundaryInterpolation(Sdc::Options::VTX_BOUNDARY_EDGE_AND_CORNER);
  options.SetFVarLinearInterpolation(Sdc::Options::FVAR_LINEAR_ALL);
  using Factory = Far::TopologyRefinerFactory<Far::TopologyDescriptor>;
  Refiner refiner(Factory::Create(d, Factory::Options(Sdc::SCHEME_CATMARK, options)));
  Far::TopologyRefiner::UniformOptions uniform(levels);
  uniform.fullTopologyInLastLevel = isFull;
  refiner->RefineUniform(uniform);
  Far::PrimvarRefiner primvar(*refiner);
  for (int k = 1; k <= levels; k++) {
    const auto& level = refiner->GetLevel(k);
    std::vector<Values<3>> nextP(level.GetNumVertices());
    std::vector<Values<2>> nextUv(level.GetNumFVarValues(0));
    primvar.Interpolate(k, p, nextP);
    primvar.InterpolateFaceVarying(k, uv, nextUv, 0);
    p.swap(nextP);
    uv.swap(nextUv);
  }
  return refiner;
}
