// What the programs against Embree share: its header, whichever version is installed.
#pragma once
#include "process.h"
#include <cmath>
#if __has_include(<embree4/rtcore.h>)
#include <embree4/rtcore.h>
#else
#include <embree3/rtcore.h>
#endif
