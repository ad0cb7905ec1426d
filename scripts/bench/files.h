// What a whole job of files needs: meshes from PLY (binary little endian, points of three floats, faces with vertex_indices and, where they have
// them, texcoord: what the command line of the bench writes) and a field to EXR.
#pragma once
#include "opensubdiv.h"
#include <OpenEXR/ImfChannelList.h>
#include <OpenEXR/ImfFrameBuffer.h>
#include <OpenEXR/ImfHeader.h>
#include <OpenEXR/ImfOutputFile.h>
#include <cstring>
#include <map>
#include <string>
#include <tuple>

/** The values of one property of one face: a count and that many of a size, or one of a size. */
struct Property {
  std::string name;
  size_t countBytes, bytes;
};

static size_t bytesOf(const std::string& type) {
  if (type == "char" || type == "uchar" || type == "int8" || type == "uint8") return 1;
  if (type == "short" || type == "ushort" || type == "int16" || type == "uint16") return 2;
  return type == "double" || type == "float64" ? 8 : 4;
}

static Mesh readPly(const char* path) {
  FILE* f = fopen(path, "rb");
  if (!f) exit(1);
  size_t points = 0, faces = 0;
  bool ofFaces = false;
  std::vector<Property> properties;
  char line[4096], a[64], b[64], c[64], d[64];
  while (fgets(line, sizeof line, f) && strncmp(line, "end_header", 10)) {
    size_t n;
    if (sscanf(line, "element %63s %zu", a, &n) == 2) ofFaces = !strcmp(a, "face"), (ofFaces ? faces : points) = n;
    else if (ofFaces && sscanf(line, "property list %63s %63s %63s", a, b, c) == 3) properties.push_back({c, bytesOf(a), bytesOf(b)});
    else if (ofFaces && sscanf(line, "property %63s %63s", c, d) == 2) properties.push_back({d, 0, bytesOf(c)});
  }
  Mesh m;
  m.points = read<Values<3>>(f, points);
  const long from = ftell(f);
  fseek(f, 0, SEEK_END);
  const size_t size = ftell(f) - from;
  fseek(f, from, SEEK_SET);
  const auto rest = read<unsigned char>(f, size);
  fclose(f);

  std::map<std::tuple<int, float, float>, int> known; // UVs of one point that are the same are one value
  m.sizes.reserve(faces), m.corners.reserve(4 * faces);
  const unsigned char* at = rest.data();
  for (size_t face = 0; face < faces; face++) {
    for (const Property& p : properties) {
      size_t n = 1;
      if (p.countBytes) n = 0, memcpy(&n, at, p.countBytes), at += p.countBytes;
      if (p.name == "vertex_indices") {
        m.sizes.push_back(n);
        m.corners.resize(m.corners.size() + n);
        memcpy(&m.corners[m.corners.size() - n], at, 4 * n);
      } else if (p.name == "texcoord") {
        const size_t corner = m.corners.size() - n / 2;
        for (size_t k = 0; k < n / 2; k++) {
          Values<2> uv;
          memcpy(uv.v, at + 8 * k, 8);
          const auto [found, isNew] = known.emplace(std::tuple(m.corners[corner + k], uv.v[0], uv.v[1]), m.uvs.size());
          if (isNew) m.uvs.push_back(uv);
          m.uvCorners.push_back(found->second);
        }
      }
      at += n * p.bytes;
    }
  }
  return m;
}

/** One channel of floats, ZIP. */
static void writeExr(const char* path, const std::vector<float>& values, int W) {
  Imf::Header header(W, (int)(values.size() / W));
  header.compression() = Imf::ZIP_COMPRESSION;
  header.channels().insert("height", Imf::Channel(Imf::FLOAT));
  Imf::OutputFile file(path, header, 0);
  Imf::FrameBuffer buffer;
  buffer.insert("height", Imf::Slice(Imf::FLOAT, (char*)values.data(), 4, 4 * (size_t)W));
  file.setFrameBuffer(buffer);
  file.writePixels(values.size() / W);
}
