// What the programs of the bench share: the CPU seconds of this process, and numbers from the file that they are given.
#pragma once
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <ctime>
#include <vector>

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
