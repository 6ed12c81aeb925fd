"""What is the address of a value? The SHA-256 of its canonical JSON.

Canonical: keys sorted, no spaces, floats in their shortest exact form (Python's repr), no NaN.
"""

import hashlib
import json
from collections.abc import Mapping


def digest_of(value: Mapping[str, object]) -> str:
    """64 hexadecimal digits; equal values have equal digests whatever the order of their keys."""
    text = json.dumps(value, sort_keys=True, separators=(",", ":"), allow_nan=False)
    return hashlib.sha256(text.encode()).hexdigest()
