// A whole job as a compiled program would do it on one thread, from files to a file: the light mesh refined to its limit by OpenSubdiv, a tree over the
// sculpt by Embree, and at every texel the nearest hit along the normal, both ways, of a triangle that looks the same way. A baseline of
// `npm run bench:film` where the headers are installed (Debian: libembree-dev, libosd-dev, libopenexr-dev). It does less than our job: no checks of
// what it reads, no doubts, no classes of texels, no padding, one channel.
// native-heights LOW.ply SCULPT.ply LEVELS W OUT.exr prints the texels that were hit, the mean of their heights, and CPU seconds: of all, of reading,
// refining, the tree, the texels, writing.
#include "embree.h"
#include "files.h"
#include <algorithm>

using V3 = Values<3>;
static V3 cross(const V3& a, const V3& b) {
  return {{a.v[1] * b.v[2] - a.v[2] * b.v[1], a.v[2] * b.v[0] - a.v[0] * b.v[2], a.v[0] * b.v[1] - a.v[1] * b.v[0]}};
}
static V3 unit(const V3& a) {
  const float l = 1 / std::sqrt(a.v[0] * a.v[0] + a.v[1] * a.v[1] + a.v[2] * a.v[2]);
  return {{a.v[0] * l, a.v[1] * l, a.v[2] * l}};
}

/** Distance to the nearest triangle along a normal that faces as it does; infinite where there is none. */
static float along(RTCScene scene, const V3& p, const V3& n, float side) {
  RTCRayHit r{};
  float from = 0;
  for (;;) {
    r.ray.org_x = p.v[0], r.ray.org_y = p.v[1], r.ray.org_z = p.v[2];
    r.ray.dir_x = side * n.v[0], r.ray.dir_y = side * n.v[1], r.ray.dir_z = side * n.v[2];
    r.ray.tnear = from, r.ray.tfar = INFINITY, r.ray.mask = -1;
    r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
#if RTC_VERSION_MAJOR >= 4
    rtcIntersect1(scene, &r);
#else
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(scene, &context, &r);
#endif
    if (r.hit.geomID == RTC_INVALID_GEOMETRY_ID) return INFINITY;
    if (r.hit.Ng_x * n.v[0] + r.hit.Ng_y * n.v[1] + r.hit.Ng_z * n.v[2] > 0) return r.ray.tfar;
    from = std::nextafter(r.ray.tfar, INFINITY);
  }
}

int main(int, char** argv) {
  const int levels = atoi(argv[3]), W = atoi(argv[4]);
  const Mesh light = readPly(argv[1]);
  Mesh high = readPly(argv[2]);
  std::vector<Values<3>>& sculpt = high.points;
  std::vector<uint32_t> triangles;
  triangles.reserve(2 * high.corners.size());
  size_t corner = 0;
  for (const int n : high.sizes) {
    const uint32_t* of = (const uint32_t*)&high.corners[corner];
    for (int k = 1; k < n - 1; k++) triangles.insert(triangles.end(), {of[0], of[k], of[k + 1]});
    corner += n;
  }
  const uint32_t P = sculpt.size(), T = triangles.size() / 3;
  sculpt.emplace_back(); // points are read four numbers at a time
  const double start = cpu();

  auto points = light.points;
  auto uvs = light.uvs;
  const Refiner refiner = refine(light, levels, true, points, uvs);
  std::vector<V3> limit(points.size()), normals(points.size()), across(points.size());
  OpenSubdiv::Far::PrimvarRefiner(*refiner).Limit(points, limit, normals, across);
  for (size_t i = 0; i < normals.size(); i++) normals[i] = unit(cross(normals[i], across[i]));
  const double refined = cpu();

  RTCDevice device = rtcNewDevice("threads=1");
  RTCScene scene = rtcNewScene(device);
  rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
  rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_MEDIUM);
  RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
  rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, sculpt.data(), 0, 12, P);
  rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, triangles.data(), 0, 12, T);
  rtcCommitGeometry(g);
  rtcAttachGeometry(scene, g);
  rtcCommitScene(scene);
  const double grown = cpu();

  std::vector<float> heights((size_t)W * W, NAN);
  const auto& last = refiner->GetLevel(levels);
  for (int face = 0; face < last.GetNumFaces(); face++) {
    const auto fv = last.GetFaceVertices(face), ft = last.GetFaceFVarValues(face, 0);
    for (int half = 0; half < 2; half++) {
      const int c[3] = {0, half + 1, half + 2};
      double x[3], y[3];
      for (int k = 0; k < 3; k++) x[k] = uvs[ft[c[k]]].v[0] * W, y[k] = (1 - uvs[ft[c[k]]].v[1]) * W;
      const double det = (x[1] - x[0]) * (y[2] - y[0]) - (x[2] - x[0]) * (y[1] - y[0]);
      if (det == 0) continue;
      const int x0 = std::max(0., std::ceil(std::min({x[0], x[1], x[2]}) - 0.5)), x1 = std::min(W - 1., std::floor(std::max({x[0], x[1], x[2]}) - 0.5));
      const int y0 = std::max(0., std::ceil(std::min({y[0], y[1], y[2]}) - 0.5)), y1 = std::min(W - 1., std::floor(std::max({y[0], y[1], y[2]}) - 0.5));
      for (int row = y0; row <= y1; row++)
        for (int column = x0; column <= x1; column++) {
          const double px = column + 0.5 - x[0], py = row + 0.5 - y[0];
          const float b = (px * (y[2] - y[0]) - py * (x[2] - x[0])) / det, e = ((x[1] - x[0]) * py - (y[1] - y[0]) * px) / det;
          float& height = heights[(size_t)row * W + column];
          if (b < 0 || e < 0 || b + e > 1 || !std::isnan(height)) continue;
          V3 p{}, m{};
          const float weights[3] = {1 - b - e, b, e};
          for (int k = 0; k < 3; k++) p.AddWithWeight(limit[fv[c[k]]], weights[k]), m.AddWithWeight(normals[fv[c[k]]], weights[k]);
          m = unit(m);
          const float out = along(scene, p, m, 1), in = along(scene, p, m, -1);
          if (out < INFINITY || in < INFINITY) height = out < in ? out : -in;
        }
    }
  }
  const double measured = cpu();
  std::vector<float> stored = heights;
  for (float& h : stored) if (std::isnan(h)) h = 0;
  writeExr(argv[5], stored, W);
  const double end = cpu();
  size_t hits = 0;
  double sum = 0;
  for (float h : heights) if (!std::isnan(h)) hits++, sum += h;
  printf("%zu %.9g %.4f %.4f %.4f %.4f %.4f %.4f\n", hits, sum / hits, end, start, refined - start, grown - refined, measured - grown, end - measured);
}
