"""Slices: how what is in hand is cut, and the order its pieces play in."""

from dataclasses import asdict, fields
from pathlib import Path
from typing import Annotated, Any, cast

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import FileResponse
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool

from zeroknot.core.order.order import Order, Tile
from zeroknot.core.slicing.cut import MOST_BORROWED, MOST_PIECES
from zeroknot.core.slicing.piece import BUSES, Piece
from zeroknot.core.slicing.shape import Shape
from zeroknot.document.project import Project
from zeroknot.studio.hand import Hand
from zeroknot.studio.intents.ordering import LayOrder
from zeroknot.studio.lanes import notes_in_beats
from zeroknot.studio.placement import Placement
from zeroknot.studio.studio import Studio
from zeroknot.web.api import answers
from zeroknot.web.api.deps import Known, Number, ShownDep, StudioDep
from zeroknot.web.api.incoming import received
from zeroknot.web.api.projects import AnyState, AtBeat, header_name

router = APIRouter(prefix="/api")
MOST_PADS = MOST_PIECES + MOST_BORROWED
TILE, PIECE, SHAPE = (tuple(f.name for f in fields(made)) for made in (Tile, Piece, Shape))


@router.get("/projects/{project}/hand/{hand}/slices")
def slices_in_hand(
    studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0
) -> answers.HandSlices:
    """Its pieces and the order they play in."""
    tree = studio.projects.state(project).project
    return hand_slices_json(tree, studio.hand(tree, hand), beat)


@router.get("/projects/{project}/hand/{hand}/lanes")
def lanes_in_hand(studio: StudioDep, project: str, hand: str) -> answers.HandLanes:
    """The notes of a MIDI loop as they are laid; none of a recording."""
    held = studio.hand(studio.projects.state(project).project, hand)
    strand = held.strand
    found: answers.HandLanes = {
        "notes": [], "parts": [], "drums": [], "span": strand.span,
        "is_own": strand.notes is not None,
    }  # fmt: skip
    if held.loop.is_midi:
        score = studio.score(held.loop)
        notes = [asdict(note) for note in notes_in_beats(strand, score)]
        found["notes"] = cast("list[answers.ShownNote]", notes)
        found["parts"], found["drums"] = list(score.names), sorted(score.drums)
    return found


@router.get("/projects/{project}/hand/{hand}/pads")
def pads_in_hand(
    studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0
) -> answers.HandPads:
    """Its pieces as pads play them: one render, and where in it each lies."""
    tree = studio.projects.state(project).project
    held = studio.hand(tree, hand)
    plan, pads = studio.slices_out.pads(tree, held, beat)
    pieces = held.strand.cut.all_pieces if held.strand.cut else ()
    return {
        "digest": plan.digest,
        "channels": plan.channels,
        "frames": plan.frames,
        "pads": list(pads),
        "sends": [[(bus, p.sent(bus)) for bus in BUSES if p.sends(bus)] for p in pieces],
    }


@router.get("/projects/{project}/hand/{hand}/live")
def live_in_hand(
    studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0,
    apart: Annotated[list[Number] | None, Query(max_length=MOST_PADS)] = None,
) -> answers.HandLive | None:  # fmt: skip
    """Its order for who mixes it; `apart`: slices that something is about to be done to."""
    tree = studio.projects.state(project).project
    held = studio.hand(tree, hand)
    found = studio.slices_out.live(tree, held, beat, frozenset(apart or ()))
    if found is None:
        return None
    digest, plan = found
    cells: list[answers.LiveCell] = [
        {
            "digest": cell.digest, "channels": channels, "lead": cell.lead_frames,
            "frames": cell.frames,
        }
        for cell, channels in plan.cells
    ]  # fmt: skip
    voices = []
    for one in plan.voices:
        told = asdict(one.voice)
        for name in ("source", "fade_in", "fade_out"):
            del told[name]
        own = {field.name: getattr(one, field.name) for field in fields(one)}
        del own["voice"]
        voices.append({**told, **own})
    return {
        "digest": digest,
        "body": plan.body_frames,
        "channels": plan.channels,
        "cells": cells,
        "voices": cast("list[answers.LiveVoice]", voices),
    }


@router.get("/projects/{project}/hand/{hand}/edges")
def edges_in_hand(studio: StudioDep, project: str, hand: str) -> answers.HandEdges:
    """At each cut, the step and the slope that would click without fades."""
    held = studio.hand(studio.projects.state(project).project, hand)
    return {"edges": list(studio.slices_out.edges(held))}


@router.get("/projects/{project}/hand/{hand}/kit.zip")
def kit_file(studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0) -> Response:
    """Its slices as a kit: an SFZ file and a WAV each."""
    tree = studio.projects.state(project).project
    held = studio.hand(tree, hand)
    name = header_name(held.strand.name)
    return _file(studio.slices_out.kit(tree, held, beat, name), f"{name}.zip", "application/zip")


@router.get("/projects/{project}/hand/{hand}/cues.wav")
def cues_file(studio: StudioDep, project: str, hand: str) -> Response:
    """The recording with its cuts as cue points."""
    held = studio.hand(studio.projects.state(project).project, hand)
    name = f"{header_name(held.strand.name)}, cut.wav"
    return _file(studio.slices_out.with_cues(held), name, "audio/wav")


@router.get("/projects/{project}/hand/{hand}/order.mid")
def order_file(studio: StudioDep, project: str, hand: str, beat: AtBeat = 0.0) -> Response:
    """The order as a MIDI file, a note a slice."""
    tree = studio.projects.state(project).project
    held = studio.hand(tree, hand)
    name = f"{header_name(held.strand.name)}, order.mid"
    data = studio.slices_out.midi(tree, held, beat)
    return Response(data, media_type="audio/midi", headers=_named(name))


@router.put("/projects/{project}/hand/{hand}/order")
async def bring_order_file(
    studio: StudioDep, shown: ShownDep, project: str, hand: str, revision: Number,
    request: Request, known: Known = None,
) -> AnyState:  # fmt: skip
    """Play the order that the notes of a MIDI file give."""
    incoming = await received(request, studio)
    order = await run_in_threadpool(_read, studio, project, hand, incoming)
    intent = LayOrder(hand=hand, beats=order.beats, tiles=order.tiles, what="order from MIDI")
    state = await run_in_threadpool(studio.projects.submit, project, revision, intent)
    return await run_in_threadpool(shown.since, state, known)


def _told(value: object, names: tuple[str, ...]) -> dict[str, Any]:
    """Its fields as they are: of a thousand tiles, many times as fast as `asdict`."""
    return {name: getattr(value, name) for name in names}


def _piece(piece: Piece) -> dict[str, Any]:
    return {**_told(piece, PIECE), "shape": _told(piece.shape, SHAPE)}


def _felt(project: Project, hand: Hand, beat: float) -> list[float]:
    if not (hand.strand.order and hand.strand.groove):
        return []
    order = Placement.of(project, hand.strand, hand.loop, beat).order
    return [tile.beat for tile in order.tiles] if order else []


def _read(studio: Studio, project: str, hand: str, incoming: Path) -> Order:
    try:
        with incoming.open("rb") as file:
            tree = studio.projects.state(project).project
            return studio.slices_out.read_midi(tree, studio.hand(tree, hand), file)
    finally:
        incoming.unlink(missing_ok=True)


def _file(path: Path, name: str, media: str) -> Response:
    return FileResponse(
        path, media_type=media, headers=_named(name),
        background=BackgroundTask(path.unlink, missing_ok=True),
    )  # fmt: skip


def _named(name: str) -> dict[str, str]:
    return {"content-disposition": f'attachment; filename="{name}"'}


def hand_slices_json(project: Project, hand: Hand, beat: float = 0.0) -> Any:
    """Where it is cut, its pieces, the order they play in, and the deals there were."""
    strand, metre = hand.strand, project.metre_map.metre_at(1)
    warp, cut = strand.warp, strand.cut
    order = strand.order or strand.as_cut
    inside = cut.starts[1:] if cut else ()  # the first begins with the one
    edges = [warp.zero.second, *inside, warp.end.second]
    beats = [warp.beat_of_second(second) for second in edges]
    return {
        "is_cut": cut is not None,
        "edges": edges,
        "beats": beats,
        "pieces": [_piece(piece) for piece in cut.all_pieces] if cut else [],
        "borrowed": [
            {"source": b.source, "name": b.name, "start": b.start, "stop": b.stop}
            for b in (cut.borrowed if cut else ())
        ],
        "pads": list(cut.on_pads) if cut else [],
        "warp": [(knot.second, knot.beat) for knot in warp.knots],
        "order": {
            "beats": order.beats,
            "tiles": [_told(tile, TILE) for tile in order.tiles] if cut else [],
            "is_own": strand.order is not None,
            "felt": _felt(project, hand, beat),
        },
        "dealt": [
            {
                "seed": d.deal.seed,
                "like": d.deal.like,
                "far": d.deal.far,
                "is_now": d.order == strand.order,
            }
            for d in strand.dealt
        ],
        "rounds": [{"beats": r.beats, "strokes": len(r.strokes)} for r in strand.rounds],
        "per_bar": metre.beats_per_bar,
        "pulse": metre.beats_per_pulse,
    }
