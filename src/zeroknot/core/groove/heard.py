"""Is it heard that a hit lies somewhere else?

Source: Friberg & Sundberg, "Time discrimination in a monotonic, isochronous sequence", JASA 98,
1995: a displaced onset is noticed from 2.5 % of the interval on, from 6 ms on where the interval
is under 240 ms.
"""

SHARE, LEAST_MS = 0.025, 6.0


def noticed_ms(interval_ms: float) -> float:
    """Milliseconds from which a displaced hit is noticed.

    interval_ms  to the hit before it
    """
    return max(LEAST_MS, SHARE * interval_ms)
