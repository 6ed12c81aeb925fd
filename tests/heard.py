"""Loaded once, by the process that tests are forked off: what listening needs, compiled and read.

Bringing in the same recording for the hundredth time need not be listened to again: what is heard
of a sound is a function of the sound and its claims, and its own tests call it as it is.
"""

import hashlib
from collections.abc import Callable

from tests.sounds import rendered
from zeroknot.core.audio import Audio
from zeroknot.core.listening.company import NOBODY, Company
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims
from zeroknot.studio.tasks import incoming

MOST = 64


def remembered(listen: Callable[..., Hearing]) -> Callable[..., Hearing]:
    known: dict[tuple[bytes, int, Claims, Company], Hearing] = {}

    def heard(sound: Audio, claims: Claims, company: Company = NOBODY) -> Hearing:
        key = hashlib.blake2b(sound.samples.tobytes()).digest(), sound.rate, claims, company
        if key not in known:
            if len(known) >= MOST:
                known.clear()
            known[key] = listen(sound, claims, company)
        return known[key]

    return heard


if not hasattr(incoming.listen, "is_remembered"):
    incoming.listen = remembered(incoming.listen)  # type: ignore[assignment]
    incoming.listen.is_remembered = True  # type: ignore[attr-defined]
    incoming.listen(rendered("drums_103"), Claims())
