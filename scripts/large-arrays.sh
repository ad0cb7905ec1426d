# Sourced before the server or a worker starts. glibc's allocator by default stops giving large arrays a mapping of their own once it has seen some
# freed, and what is let go then stays with the process: 0.5 GB after a pass of 1.6 million faces, 0.2 with fixed thresholds. Others ignore this.
export MALLOC_MMAP_THRESHOLD_=${MALLOC_MMAP_THRESHOLD_:-1048576} MALLOC_TRIM_THRESHOLD_=${MALLOC_TRIM_THRESHOLD_:-1048576}
