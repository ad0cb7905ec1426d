// What Embree takes to build its tree and to answer closest points on one thread: a baseline of `npm run bench` where Embree's headers are installed
// (Debian: libembree-dev).
// Reads one file, little endian: uint32 P, T, N; float32[3 P] positions; uint32[3 T] corners; float32[3 N] places.
// Prints two lines: CPU seconds of building (robust, medium quality), best of three; then the sum of N distances and places a CPU second, best of
// three, each query from scratch, the closest point of a triangle by Ericson's regions (Real-Time Collision Detection, 2005, 5.1.5).
#include "embree.h"

struct V {
  float x, y, z;
};
static V operator-(V a, V b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
static V operator+(V a, V b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
static V operator*(float s, V a) { return {s * a.x, s * a.y, s * a.z}; }
static float dot(V a, V b) { return a.x * b.x + a.y * b.y + a.z * b.z; }

static V closest(V p, V a, V b, V c) {
  const V ab = b - a, ac = c - a, ap = p - a;
  const float d1 = dot(ab, ap), d2 = dot(ac, ap);
  if (d1 <= 0 && d2 <= 0) return a;
  const V bp = p - b;
  const float d3 = dot(ab, bp), d4 = dot(ac, bp);
  if (d3 >= 0 && d4 <= d3) return b;
  const float vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + (d1 / (d1 - d3)) * ab;
  const V cp = p - c;
  const float d5 = dot(ab, cp), d6 = dot(ac, cp);
  if (d6 >= 0 && d5 <= d6) return c;
  const float vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + (d2 / (d2 - d6)) * ac;
  const float va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return b + ((d4 - d3) / ((d4 - d3) + (d5 - d6))) * (c - b);
  const float s = 1 / (va + vb + vc);
  return a + vb * s * ab + vc * s * ac;
}

struct Asked {
  const V* p;
  const uint32_t* c;
  float nearest2;
};

static bool look(RTCPointQueryFunctionArguments* args) {
  Asked* q = (Asked*)args->userPtr;
  const V at{args->query->x, args->query->y, args->query->z};
  const uint32_t* t = q->c + 3 * args->primID;
  const V away = at - closest(at, q->p[t[0]], q->p[t[1]], q->p[t[2]]);
  const float d2 = dot(away, away);
  // also false where a triangle without area gives no number
  if (!(d2 < q->nearest2)) return false;
  q->nearest2 = d2;
  args->query->radius = std::sqrt(d2);
  return true;
}

int main(int, char** argv) {
  FILE* f = fopen(argv[1], "rb");
  uint32_t n[3];
  if (!f || fread(n, 4, 3, f) != 3) return 1;
  const auto [P, T, N] = n;
  std::vector<V> positions(P), places(N);
  std::vector<uint32_t> corners(3 * T);
  if (fread(positions.data(), 12, P, f) != P || fread(corners.data(), 12, T, f) != T || fread(places.data(), 12, N, f) != N) return 1;
  fclose(f);
  RTCDevice device = rtcNewDevice("threads=1");
  RTCScene scene = nullptr;
  double built = 1e30;
  for (int run = 0; run < 3; run++) {
    if (scene) rtcReleaseScene(scene);
    const double from = cpu();
    scene = rtcNewScene(device);
    rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
    rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_MEDIUM);
    RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
    float* p = (float*)rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, P);
    uint32_t* c = (uint32_t*)rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, T);
    for (uint32_t i = 0; i < 3 * P; i++) p[i] = ((float*)positions.data())[i];
    for (uint32_t i = 0; i < 3 * T; i++) c[i] = corners[i];
    rtcCommitGeometry(g);
    rtcAttachGeometry(scene, g);
    rtcReleaseGeometry(g);
    rtcCommitScene(scene);
    const double took = cpu() - from;
    if (took < built) built = took;
  }
  printf("%.4f\n", built);
  double best = 1e30, sum = 0;
  for (int run = 0; run < 3; run++) {
    sum = 0;
    const double from = cpu();
    for (uint32_t i = 0; i < N; i++) {
      RTCPointQuery query{places[i].x, places[i].y, places[i].z, 0, INFINITY};
      RTCPointQueryContext context;
      rtcInitPointQueryContext(&context);
      Asked asked{positions.data(), corners.data(), INFINITY};
      rtcPointQuery(scene, &query, &context, look, &asked);
      sum += std::sqrt(asked.nearest2);
    }
    const double took = cpu() - from;
    if (took < best) best = took;
  }
  printf("%.6f %.0f\n", sum, N / best);
}
