// What the programs against Embree share: its header, whichever version is installed, and the CPU seconds of this process.
#pragma once
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <ctime>
#include <vector>
#if __has_include(<embree4/rtcore.h>)
#include <embree4/rtcore.h>
#else
#include <embree3/rtcore.h>
#endif

static double cpu() {
  timespec t;
  clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &t);
  return t.tv_sec + 1e-9 * t.tv_nsec;
}
