"""What is the address of a value? The SHA-256 of its canonical JSON.

Canonical: keys sorted, no spaces, floats in their shortest exact form (Python's repr), no NaN.
"""

import hashlib
import json
from collections.abc import Mapping
from dataclasses import MISSING, fields, is_dataclass
from typing import Any


def digest_of(value: Mapping[str, object]) -> str:
    """64 hexadecimal digits; equal values have equal digests whatever the order of their keys."""
    return digest_of_text(canonical(value))


def digest_of_text(text: str) -> str:
    """64 hexadecimal digits: the SHA-256 of its UTF-8."""
    return hashlib.sha256(text.encode()).hexdigest()


def canonical(value: Mapping[str, object]) -> str:
    """Raises ValueError for what is not finite."""
    return json.dumps(value, sort_keys=True, separators=(",", ":"), allow_nan=False)


def said(value: Any) -> dict[str, Any]:
    """The fields of a dataclass that are not as they are by themselves.

    So a field that is added later changes no address of what does not use it.
    """
    found: dict[str, Any] = {}
    for field in fields(value):
        own = getattr(value, field.name)
        if field.default is not MISSING and own == field.default:
            continue
        if is_dataclass(own):
            if inner := said(own):
                found[field.name] = inner
        elif isinstance(own, tuple) and own and is_dataclass(own[0]):
            found[field.name] = [said(part) for part in own]
        else:
            found[field.name] = own
    return found
