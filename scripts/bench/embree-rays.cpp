// Rays a CPU second of Embree on one thread: the baseline of `npm run bench` where Embree's headers are installed (Debian: libembree-dev).
// Reads one file, little endian: uint32 P, T, N; float32[3 P] positions; uint32[3 T] corners; float32[3 N] origins; float32[3 N] directions.
// Prints two lines: the hits of N rays traced one at a time in robust mode, and rays a CPU second, best of three; then the same for
// occlusion (any hit).
#include "embree.h"

int main(int, char** argv) {
  FILE* f = fopen(argv[1], "rb");
  uint32_t n[3];
  if (!f || fread(n, 4, 3, f) != 3) return 1;
  const auto [P, T, N] = n;
  std::vector<float> origins(3 * N), directions(3 * N);
  RTCDevice device = rtcNewDevice("threads=1");
  RTCScene scene = rtcNewScene(device);
  rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
  rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_MEDIUM);
  RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
  float* p = (float*)rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, P);
  uint32_t* c = (uint32_t*)rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, T);
  if (fread(p, 12, P, f) != P || fread(c, 12, T, f) != T || fread(origins.data(), 12, N, f) != N || fread(directions.data(), 12, N, f) != N) return 1;
  fclose(f);
  rtcCommitGeometry(g);
  rtcAttachGeometry(scene, g);
  double build = cpu();
  rtcCommitScene(scene);
  build = cpu() - build;
  for (int occluded = 0; occluded < 2; occluded++) {
    double best = 1e30;
    uint32_t hits = 0;
    for (int run = 0; run < 3; run++) {
      hits = 0;
      const double from = cpu();
      for (uint32_t i = 0; i < N; i++) {
        RTCRayHit r{};
        r.ray.org_x = origins[3 * i], r.ray.org_y = origins[3 * i + 1], r.ray.org_z = origins[3 * i + 2];
        r.ray.dir_x = directions[3 * i], r.ray.dir_y = directions[3 * i + 1], r.ray.dir_z = directions[3 * i + 2];
        r.ray.tfar = INFINITY;
        r.ray.mask = -1;
        r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
#if RTC_VERSION_MAJOR >= 4
        if (occluded) rtcOccluded1(scene, &r.ray);
        else rtcIntersect1(scene, &r);
#else
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        if (occluded) rtcOccluded1(scene, &context, &r.ray);
        else rtcIntersect1(scene, &context, &r);
#endif
        hits += occluded ? r.ray.tfar < 0 : r.hit.geomID != RTC_INVALID_GEOMETRY_ID;
      }
      const double took = cpu() - from;
      if (took < best) best = took;
    }
    printf("%u %.0f %.3f\n", hits, N / best, build);
  }
}
