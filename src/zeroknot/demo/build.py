"""Makes the demo's data: the loops on the shelf, the project arranged so that play makes music.

Everything goes through the same doors as a person's own files and edits.
"""

import time
from collections.abc import Callable
from typing import Any

from zeroknot.core.formats.riff import wav_bytes
from zeroknot.demo.loops import LOOPS, NOTES, midi_of, sound_of
from zeroknot.document.desk import Echo, LinePoint, Room
from zeroknot.document.edits.base import Edit
from zeroknot.document.edits.clip import AddClips, ChangeClip
from zeroknot.document.edits.desk import ChangeSound, SetCeiling, SetEcho, SetLine, SetRoom
from zeroknot.document.edits.phrase import SetSections
from zeroknot.document.edits.time import SetKeys
from zeroknot.document.edits.track import ChangeTrack
from zeroknot.document.offshoot import Offshoot
from zeroknot.document.project import Clip, KeyChange, Project, Section
from zeroknot.settings import Settings
from zeroknot.store.incoming import WAITING
from zeroknot.studio.executors import Executors
from zeroknot.studio.hand import ITSELF
from zeroknot.studio.intents.base import Intent
from zeroknot.studio.intents.clips import ReverseClips
from zeroknot.studio.intents.coil import CoilLoop
from zeroknot.studio.intents.cutting import ChangePieces, CutUp
from zeroknot.studio.intents.groove import LayOver, MakeSwing, SetGroove, TakeGroove
from zeroknot.studio.intents.key import Follow, SetKeyAt
from zeroknot.studio.intents.offshoots import GrowOffshoots, KeepGrown, NameGrown, QuickOne
from zeroknot.studio.intents.ordering import ChangeTiles, DealOrder
from zeroknot.studio.intents.phrases import GroupClips
from zeroknot.studio.intents.placing import Place, SeparateClip
from zeroknot.studio.intents.readings import StateReading
from zeroknot.studio.intents.time import SetSteadyTempo, SetTempoPoint
from zeroknot.studio.shelf_edits import Favour, Tag
from zeroknot.studio.studio import Studio

NAME = "Lantern Tide"
FOLDER = "Lantern Tide loops"
LONGEST_SECONDS = 300.0

# Loop, level of its track in dB, and its clips: (bar, passes).
ARRANGEMENT = (
    ("Winch-house break", -5.0, ((1, 4), (9, 8), (25, 4), (41, 8))),
    ("Foghorn bass", -8.0, ((5, 1), (9, 4), (25, 2), (41, 4))),
    ("Lamp-room keys", -9.0, ((1, 2), (9, 2), (21, 3), (33, 2), (41, 4))),
    ("Gull choir", -11.0, ((9, 1), (17, 1), (25, 1), (33, 1), (49, 1))),
    ("Rope-walk shaker", -13.0, ((5, 4), (13, 12), (29, 4), (37, 20))),
    ("Bell-buoy marimba", -10.0, ((13, 2), (17, 4), (29, 1), (45, 6))),
)

TAGS = {
    "Winch-house break": ("dusty",), "Foghorn bass": ("sub",), "Lamp-room keys": ("warm",),
    "Gull choir": ("airy",), "Deck plates": ("field",), "Tide-table arp": ("arp",),
    "Night ferry pulse": ("pulse",),
}  # fmt: skip
# Sounds of more than one kind that follow the key all the same; where it changes.
TONAL = ("Lamp-room keys", "Gull choir")
KEY_CHANGES = ((17, "E minor"), (25, "D minor"))
# Whose groove is taken, and what it is laid over.
SHUFFLED = ("Rope-walk shaker", "Winch-house break")
# What comes back in an order of its own, from which bar, and the seed that dealt it.
REORDERED, REORDERED_BAR, SEED = "Winch-house break", 25, 4127
# Where the song draws breath, and from where to where it gets faster.
BREAK_BAR, RAMP_BAR, BACK_BAR, FASTER_BPM = 33, 37, 41, 102.0
# The last beat before it is all there again: sixteenths of one stroke, louder and higher each.
FILL = ((-9.0, 0.0), (-6.0, 1.0), (-3.0, 2.0), (0.0, 3.0))
# Its parts, from which bar on, and their colours.
SECTIONS = (
    (1, "Slack water", 1), (9, "Flood", 3), (17, "Turn", 4), (25, "High water", 0),
    (33, "Breath", 6), (41, "Spring tide", 5), (57, "", 0),
)  # fmt: skip
ECHOED = 2  # of the slices of what comes back in another order
# How its tracks sound.
SOUNDS: dict[str, dict[str, float]] = {
    "Winch-house break": {"low_cut_hz": 35, "high_db": 1.5, "room_db": -24},
    "Foghorn bass": {"threshold_db": -24, "ratio": 3, "makeup_db": 2, "high_cut_hz": 6000},
    "Lamp-room keys": {"low_cut_hz": 70, "bell1_hz": 350, "bell1_db": -2, "room_db": -18},
    "Gull choir": {"low_cut_hz": 180, "room_db": -9, "pan": -0.15},
    "Rope-walk shaker": {"low_cut_hz": 300, "pan": 0.25, "room_db": -22},
    "Bell-buoy marimba": {"low_cut_hz": 120, "echo_db": -12, "pan": 0.1, "room_db": -15},
}
# Whose bass gives way where the drums strike.
DUCKED, DUCKED_BY = "Foghorn bass", "Winch-house break"
SWEPT = "Lamp-room keys"  # whose low cut rises through the breath
# What lies on the keys of its coil.
COILED = (
    "Lamp-room keys", "Gull choir", "Bell-buoy marimba", "Night ferry pulse", "Tide-table arp",
)  # fmt: skip
FAVOURITES = ("Winch-house break", "Tide-table arp")

# What the makers of the loops know and listening cannot: pads have no attacks to count by.
STATED: dict[str, dict[str, Any]] = {
    "Gull choir": {"bars": 8, "beats_per_bar": 4, "tempo_bpm": 118.2, "downbeat_s": 0.0},
}


def build(settings: Settings) -> str:
    """Fill a data folder; a project that is there already stays and another is added.

    returns  the project's id
    """
    studio = Studio(settings, Executors.inline())
    try:
        project = make(studio)
        studio.bringing.forget_ended()
        return project
    finally:
        studio.close()


def make(studio: Studio) -> str:
    """The demo's loops on the shelf of a studio, and its project; returns the project's id.

    Raises TimeoutError where listening to them takes for ever.
    """
    files = [(loop.file, wav_bytes(sound_of(loop), 24)) for loop in LOOPS]
    files += [(notes.file, midi_of(notes)) for notes in NOTES]
    begun = {}
    for name, data in files:
        incoming = studio.store.new_incoming()
        incoming.write_bytes(data)
        begun[name] = studio.bringing.begin(incoming, f"{FOLDER}/{name}").id
    shas = {name: _listened(studio, item) for name, item in begun.items()}
    for words, tags in TAGS.items():
        studio.shelf.change([_of(shas, words)], Tag(add=tags))
    for words in FAVOURITES:
        studio.shelf.change([_of(shas, words)], Favour(favourite=True))
    return _arrange(studio, shas)


def _listened(studio: Studio, item: str) -> str:
    """The hash of a file on its way in, once it is on the shelf."""
    end = time.monotonic() + LONGEST_SECONDS
    while time.monotonic() < end:
        found = studio.bringing.item(item)
        if found.sha and found.state != WAITING:
            return found.sha
        time.sleep(0.02)
    raise TimeoutError("the demo's loops were not listened to in time")


def _of(shas: dict[str, str], words: str) -> str:
    return next(sha for name, sha in shas.items() if name.startswith(words))


def _arrange(studio: Studio, shas: dict[str, str]) -> str:
    projects = studio.projects
    project = projects.create(NAME)
    revision = projects.state(project).revision
    for edit in (SetSteadyTempo(bpm=96), SetKeys(changes=(KeyChange(bar=1, key="D minor"),))):
        revision = projects.submit(project, revision, edit).revision
    for words, level_db, clips in ARRANGEMENT:
        sha = _of(shas, words)
        if words in STATED:
            statement = StateReading(hand=sha, **STATED[words])
            revision = projects.submit(project, revision, statement).revision
        track = None
        for bar, passes in clips:
            state = projects.submit(
                project, revision,
                Place(hand=sha, beat=_beat(bar), track=track, passes=passes),
            )  # fmt: skip
            revision = state.revision
            if track is None:
                track = state.project.tracks[-1].id
                change = ChangeTrack(track=track, name=words, level_db=level_db)
                revision = projects.submit(project, revision, change).revision
    for words in TONAL:
        follow = Follow(hand=_of(shas, words))
        revision = projects.submit(project, revision, follow).revision
    for bar, key in KEY_CHANGES:
        change_key = SetKeyAt(bar=bar, key=key)
        revision = projects.submit(project, revision, change_key).revision
    _shuffle(studio, project, _of(shas, SHUFFLED[0]), _of(shas, SHUFFLED[1]))
    _reorder(studio, project, _of(shas, REORDERED))
    _finish(studio, project, _of(shas, REORDERED))
    _coil(studio, project, [_of(shas, words) for words in COILED])
    _grow(studio, project, _of(shas, REORDERED))
    return project


def _shuffle(studio: Studio, project: str, source: str, target: str) -> None:
    """One loop takes the groove of another."""
    take = TakeGroove(hand=source, bars=1, name="Rope-walk feel")
    state = studio.projects.submit(project, studio.projects.state(project).revision, take)
    groove = state.project.grooves[-1].id
    for intent in (
        MakeSwing(percent=58.0, per_beat=4, name="A little late"),
        LayOver(hand=target, kept=groove),
        SetGroove(hand=target, timing=0.95, accents=0.4),
    ):
        state = studio.projects.submit(project, state.revision, intent)


def _finish(studio: Studio, project: str, drums: str) -> None:
    """It is mixed; it draws breath, gets faster, and a fill leads back."""
    state = studio.projects.state(project)

    def do(intent: Intent | Edit) -> None:
        nonlocal state
        state = studio.projects.submit(project, state.revision, intent)

    tracks = {t.name: t.id for t in state.project.tracks}
    for name, values in SOUNDS.items():
        do(ChangeSound(track=tracks[name], values=values))
    do(ChangeSound(track=tracks[DUCKED], listens_to=tracks[DUCKED_BY]))
    do(SetRoom(room=Room(size="medium", level_db=0.0)))
    do(SetEcho(echo=Echo(beats=0.75, feedback=0.45)))
    do(SetCeiling(ceiling_db=-1.0))
    bpm = state.project.tempo_map.bpm_at(0.0)
    do(SetTempoPoint(beat=_beat(RAMP_BAR), bpm=bpm, shape="ramp"))
    do(SetTempoPoint(beat=_beat(BACK_BAR), bpm=FASTER_BPM))
    rises = ((BREAK_BAR, 70.0, "line"), (BACK_BAR - 0.25, 900.0, "line"), (BACK_BAR, 70.0, "step"))
    points = tuple(LinePoint(beat=_beat(b), value=v, shape=s, bend=1.0) for b, v, s in rises)
    do(SetLine(track=tracks[SWEPT], name="low_cut_hz", points=points))
    _fill(state.project, do, drums, tracks[DUCKED_BY])
    _shape(state.project, do, tracks)


def _shape(
    project: Project, do: Callable[[Intent | Edit], None], tracks: dict[str, str]
) -> None:  # fmt: skip
    """Its parts have names; some clips come softly, cross, run backwards; a slice is echoed."""
    do(SetSections(sections=tuple(
        Section(bar=bar, name=name, yarn=yarn) for bar, name, yarn in SECTIONS
    )))  # fmt: skip

    def clip_at(track: str, bar: int) -> str:
        own = (c for c in project.clips_on(tracks[track]) if c.beat == _beat(bar))
        return next(own).id

    do(ChangeClip(clip=clip_at("Gull choir", 9), fade_in_ms=2500.0, fade_in_curve="power"))
    do(ChangeClip(clip=clip_at("Foghorn bass", 25), cross_ms=120.0))
    do(ChangeClip(clip=clip_at("Lamp-room keys", BREAK_BAR), gain_line=tuple(
        LinePoint(beat=beat, value=db) for beat, db in ((0.0, -9.0), (24.0, 0.0), (32.0, 2.0))
    )))  # fmt: skip
    do(ReverseClips(clips=(clip_at("Bell-buoy marimba", 29),)))
    do(GroupClips(clips=tuple(f"fill{i}" for i in range(len(FILL))), name="Fill"))
    cut = project.strand(project.clip(clip_at(REORDERED, REORDERED_BAR)).strand)
    do(ChangePieces(hand=cut.id, which=(ECHOED,), echo_db=-9.0))


def _fill(project: Project, do: Callable[[Intent | Edit], None], drums: str, track: str) -> None:
    """A stroke of the drums, four sixteenths of it, before they come back."""
    begin, every = _beat(BACK_BAR) - 1.0, 0.25
    strand = next(s for s in project.strands if s.loop == drums)
    pieces = tuple(
        Clip(
            id=f"fill{i}", strand=strand.id, track=track, beat=begin + i * every, length=every,
            gain_db=gain_db, shift=shift,
        )
        for i, (gain_db, shift) in enumerate(FILL)
    )  # fmt: skip
    do(AddClips(clips=pieces))


def _beat(bar: float) -> float:
    return 4.0 * (bar - 1)


def _coil(studio: Studio, project: str, hands: list[str]) -> None:
    """Some of its loops lie on keys, to be switched while it plays."""
    state = studio.projects.state(project)
    for hand in hands:
        state = studio.projects.submit(project, state.revision, CoilLoop(hand=hand))


def _reorder(studio: Studio, project: str, sha: str) -> None:
    """The last time it plays a loop is cut up: like for like, strong beats stay, a roll ends it."""
    state = studio.projects.state(project)

    def do(intent: Intent | Edit) -> None:
        nonlocal state
        state = studio.projects.submit(project, state.revision, intent)

    strand = next(s for s in state.project.strands if s.loop == sha)
    clip = next(
        c for c in state.project.clips
        if c.strand == strand.id and c.beat == _beat(REORDERED_BAR)
    )  # fmt: skip
    do(SeparateClip(clip=clip.id))
    hand = state.project.clip(clip.id).strand
    do(CutUp(hand=hand, by="attacks"))
    do(DealOrder(hand=hand, seed=SEED, like=True, strong=(0.0, 2.0)))
    order = state.project.strand(hand).order
    last = len(order.tiles) - 1 if order else 0
    do(ChangeTiles(hand=hand, which=(last,), hits=4, rise_db=9.0, semitones=2.0))
    do(ChangeTiles(hand=hand, which=(last // 2,), reverse=True))


def _grow(studio: Studio, project: str, sha: str) -> None:
    """A family of a dozen: some of it kept, one taken to heart, more grown from what was kept."""
    state = studio.projects.state(project)

    def do(intent: Intent) -> list[Offshoot]:
        nonlocal state
        before = {o.id for o in state.project.offshoots}
        state = studio.projects.submit(project, state.revision, intent)
        return [o for o in state.project.offshoots if o.id not in before]

    def keep(offshoot: Offshoot, name: str) -> str:
        do(NameGrown(offshoot=offshoot.id, name=name))
        loop = studio.prints.print_strand(state.project, offshoot.id, "wrap", False).loop
        do(KeepGrown(offshoot=offshoot.id, sha=loop.sha))
        return loop.sha

    itself = f"{ITSELF}{sha}"
    [backwards] = do(QuickOne(of=itself, what="reverse"))
    keep(backwards, "Turnover")
    [half] = do(QuickOne(of=itself, what="half"))
    lower = keep(half, "Half-light")
    do(QuickOne(of=f"{ITSELF}{lower}", what="down"))
    do(GrowOffshoots(of=f"{ITSELF}{lower}", count=2, far=0.6, seed=SEED, may=("rolls", "filter")))
    dealt = do(GrowOffshoots(of=itself, count=4, far=0.4, seed=SEED, may=("order", "levels")))
    winch = keep(dealt[0], "Winch dealt")
    do(GrowOffshoots(of=f"{ITSELF}{winch}", count=3, far=0.5, seed=SEED))
    do(NameGrown(offshoot=dealt[1].id, favourite=True))
