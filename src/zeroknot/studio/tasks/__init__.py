"""What runs in worker processes, by what it is about; `table` names it all.

Values and content hashes go in and come out, so that another executor can do the same work.
Caches here live as long as the worker.
"""

THREADS_VARIABLE = "ZEROKNOT_RENDER_THREADS"  # how many pieces a worker renders at once
