"""How is a loop found online, heard and brought in? By the protocol of docs/exchange.md.

The outside is slow and fails: every trouble becomes a sentence, and nothing half-fetched is kept.
"""

import hashlib
import json
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import quote, urlsplit

from pydantic import BaseModel, Field, ValidationError

from zeroknot.core.errors import EditError, NotFoundError, ZeroKnotError
from zeroknot.core.loop import Loop
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.incoming import Incoming
from zeroknot.studio.bring import Bringing

CONNECT_SECONDS, READ_SECONDS = 4.0, 20.0
LARGEST_PREVIEW = 40_000_000
LARGEST_ANSWER = 5_000_000
HASH_HEADER = "x-content-sha256"
MOST_TAGS = 200

M = TypeVar("M", bound=BaseModel)


class ExchangeError(ZeroKnotError):
    """The exchange cannot be reached, or what it says makes no sense."""


class About(BaseModel):
    """practice: its loops are made up; takes: loops may be offered to it"""

    name: str = Field(min_length=1, max_length=100)
    version: int
    practice: bool = False
    takes: bool = False


class OnlineLoop(BaseModel):
    """A loop as the exchange tells it."""

    id: str = Field(min_length=1, max_length=200)
    name: str = Field(max_length=300)
    maker: str = Field("", max_length=200)
    tags: list[str] = []
    tempo_bpm: float | None = None
    bars: int | None = None
    key: str | None = None
    seconds: float | None = None
    licence: str = ""
    file_name: str = Field("loop.wav", max_length=300)


class OnlinePage(BaseModel):
    total: int
    loops: list[OnlineLoop]


class Exchange:
    """address  of the exchange; "" where there is none"""

    def __init__(self, address: str, store: AudioStore, bringing: Bringing, largest_file: int):
        self._address = address.rstrip("/")
        self._store, self._bringing = store, bringing
        self._largest_file = largest_file

    @property
    def host(self) -> str | None:
        """Name and port of where loops are found; None where nowhere."""
        return urlsplit(self._address).netloc or None

    def about(self) -> About:
        return self._told(About, "")

    def tags(self) -> list[dict[str, Any]]:
        answer = self._json("/tags", {})
        if not isinstance(answer, list):
            raise ExchangeError("the exchange's tags make no sense")
        told = [t for t in answer if isinstance(t, dict) and isinstance(t.get("tag"), str)]
        counts = [t["count"] if isinstance(t.get("count"), int) else 0 for t in told]
        return [{"tag": t["tag"], "count": n} for t, n in zip(told, counts, strict=True)][
            :MOST_TAGS
        ]

    def search(self, words: str, tag: str = "", first: int = 0, count: int = 50) -> OnlinePage:
        asked = {"words": words, "tag": tag, "first": first, "count": count}
        return self._told(OnlinePage, "/loops", asked)

    def preview(self, id_: str) -> bytes:
        """Sound to judge a loop by."""
        with self._answer(f"/loops/{quote(id_, safe='')}/preview", LARGEST_PREVIEW) as (parts, _):
            return b"".join(parts)

    def bring(self, loop: OnlineLoop) -> Incoming:
        """Fetch a loop and bring it in like any file."""
        asked = f"/loops/{quote(loop.id, safe='')}/file"
        incoming = self._store.new_incoming()
        digest = hashlib.sha256()
        try:
            with (
                self._answer(asked, self._largest_file) as (parts, promised),
                incoming.open("wb") as file,
            ):
                for part in parts:
                    digest.update(part)
                    file.write(part)
            if promised and digest.hexdigest() != promised:
                raise ExchangeError(f"{loop.name} did not arrive whole; bring it in once more")
        except BaseException:
            incoming.unlink(missing_ok=True)
            raise
        name = "".join(c for c in loop.file_name if c not in "/\\") or "loop.wav"
        return self._bringing.begin(incoming, f"{loop.maker or 'exchange'}/{name}")

    def refuse_offer(self, loop: Loop, licence: str) -> None:
        """Raises EditError, or ExchangeError, where it may not or cannot be offered."""
        if loop.recipe is None:
            raise EditError(f"{loop.name} was not made here: whoever made it may offer it")
        if not licence.strip():
            raise EditError("say under which licence others may use it")
        if not self.about().takes:
            raise ExchangeError(f"the exchange at {self.host} takes no loops")

    def offer(self, loop: Loop, file: Path, maker: str, licence: str) -> OnlineLoop:
        """Lay a loop on the exchange; offered twice it is there once. Ask `refuse_offer` before.

        file  of it, as it is handed over
        """
        reading = loop.reading
        told = {
            "name": loop.name, "maker": maker.strip(), "licence": licence.strip(),
            "tags": list(loop.tags) or ([loop.sound] if loop.sound else []), "key": loop.key,
            "tempo_bpm": round(reading.tempo_bpm, 3) if reading else None,
            "bars": reading.bars if reading else None, "seconds": round(loop.seconds, 3),
            "file_name": file_name_of(loop),
        }  # fmt: skip
        asked = {name: value for name, value in told.items() if value is not None}
        data = file.read_bytes()
        headers = {HASH_HEADER: hashlib.sha256(data).hexdigest(), "content-type": "audio/wav"}
        with self._answer("/loops", LARGEST_ANSWER, asked, data, headers) as (parts, _):
            text = b"".join(parts)
        try:
            return OnlineLoop.model_validate_json(text)
        except ValidationError as error:
            raise ExchangeError("the exchange's answer makes no sense") from error

    def _told(self, shape: type[M], path: str, asked: dict[str, Any] | None = None) -> M:
        try:
            return shape.model_validate(self._json(path, asked or {}))
        except ValidationError as error:
            raise ExchangeError("the exchange's answer makes no sense") from error

    def _json(self, path: str, asked: dict[str, Any]) -> Any:
        with self._answer(path, LARGEST_ANSWER, asked) as (parts, _):
            text = b"".join(parts)
        try:
            return json.loads(text)
        except ValueError as error:
            raise ExchangeError("the exchange's answer makes no sense") from error

    @contextmanager
    def _answer(
        self, path: str, most_bytes: int, asked: dict[str, Any] | None = None,
        sent: bytes | None = None, headers: dict[str, str] | None = None,
    ) -> Iterator[tuple[Iterator[bytes], str | None]]:  # fmt: skip
        """An answer's bytes as they come, and the hash it promised.

        sent  to it; only asked where None
        """
        import httpx2  # only who looks online waits for it

        if not self._address:
            raise ExchangeError("no loop exchange is set; name one in ZEROKNOT_EXCHANGE")
        timeout = httpx2.Timeout(READ_SECONDS, connect=CONNECT_SECONDS)
        try:
            with (
                httpx2.Client(timeout=timeout, trust_env=False) as client,
                client.stream(
                    "GET" if sent is None else "POST", f"{self._address}/exchange{path}",
                    params=asked, content=sent, headers=headers,
                ) as answer,
            ):  # fmt: skip
                if answer.status_code == 404:
                    raise NotFoundError("the exchange has no such loop (any more)")
                if answer.status_code == 422:
                    raise ExchangeError(f"the exchange does not take it: {_reason(answer)}")
                if answer.status_code not in (200, 201):
                    raise ExchangeError(
                        f"the exchange is in trouble (it answered {answer.status_code}); try again"
                    )
                yield _bounded(answer.iter_bytes(), most_bytes), answer.headers.get(HASH_HEADER)
        except httpx2.TimeoutException as error:
            raise ExchangeError(
                f"the exchange at {self.host} takes too long to answer; try again"
            ) from error
        except httpx2.HTTPError as error:
            raise ExchangeError(
                f"the exchange at {self.host} cannot be reached; is it there, and are you online?"
            ) from error


def file_name_of(loop: Loop) -> str:
    """What its file is called there."""
    plain = "".join(c for c in loop.name if c.isalnum() or c in " -_.").strip() or "loop"
    tempo = f" {loop.reading.tempo_bpm:.4g}bpm" if loop.reading else ""
    return f"{plain}{tempo}.wav"


def _reason(answer: Any) -> str:
    try:
        return str(json.loads(b"".join(_bounded(answer.iter_bytes(), LARGEST_ANSWER)))["error"])
    except (ValueError, KeyError, TypeError, ExchangeError):
        return "it does not say why"


def _bounded(parts: Iterable[bytes], most_bytes: int) -> Iterator[bytes]:
    for part in parts:
        most_bytes -= len(part)
        if most_bytes < 0:
            raise ExchangeError("the exchange sends more than can be taken in")
        yield part
