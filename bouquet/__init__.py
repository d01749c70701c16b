"""
Bouquet: reusable export templates over an organisation's own records.
"""

import ctypes
import os

#: Processor cores that this process may use.
CORES = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1

# Threads of a run shape batches of their own at the same time, and each step of it takes one of these; with fewer they
# would wait for each other, and more than a run has would be idle. One core is the source's: on two, two were a
# sixteenth slower than one (measured). Must be set before Polars is imported.
os.environ.setdefault("POLARS_MAX_THREADS", str(min(max(1, CORES - 1), 8)))

# Batches come and go by the million; what the allocators of Arrow and Polars keep back for later would be 12 MB a
# process, and giving it back takes no measurable time. Must be set before either is imported.
os.environ.setdefault("ARROW_DEFAULT_MEMORY_POOL", "system")
os.environ.setdefault("_RJEM_MALLOC_CONF", "narenas:1,dirty_decay_ms:250,muzzy_decay_ms:0")

# The same for the C library's allocator, which Python's larger texts come from, by mallopt(3): one arena, and what is
# free at its end is given back. Other C libraries have no such settings, and need none.
_GIVEN_BACK = {"M_TRIM_THRESHOLD": (-1, 131_072), "M_TOP_PAD": (-2, 65_536), "M_ARENA_MAX": (-8, 1)}
_mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
if _mallopt is not None:
    for _name, (_option, _value) in _GIVEN_BACK.items():
        _mallopt(_option, _value)

__version__ = "0.1.0"
