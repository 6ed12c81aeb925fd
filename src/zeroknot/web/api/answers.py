"""What the server answers: the page's types are made from these (assets/api_types.sh).

Seconds end in `_s`, levels in `_db`; a beat is a quarter note; frames are those of the project's
rate unless said.
"""

from typing import Any, Literal, NotRequired

from typing_extensions import TypedDict

from zeroknot.core.apart.parts import Parts, PartsOrAuto
from zeroknot.core.loop import KeyFrom
from zeroknot.core.mixing.desk.sound import Sound
from zeroknot.core.mixing.desk.strip import EchoLine, Strip
from zeroknot.core.mixing.shape import Curve
from zeroknot.core.mixing.sheet import Event
from zeroknot.document.desk import Echo, Line, LinePoint, Room

Pair = tuple[float, float]
Knot = tuple[float, float, int]
GrooveStep = tuple[float, float, float, int]


class Shape(TypedDict):
    channels: int
    frames: int
    lead: int
    body: int


class SheetHead(TypedDict):
    """token: of this sheet, to be given back."""

    token: str
    rate: int
    first_frame: int
    end_frame: int
    last_bar: int
    close_frame: int
    time_key: str


class SheetRoom(TypedDict):
    """digest: of its impulse, "" where nothing is sent there; frames: of it"""

    digest: str
    frames: int
    level_db: float


class Desk(TypedDict):
    """What all tracks go through, on song frames."""

    strips: list[Strip]
    echo: EchoLine
    room: SheetRoom
    master: Strip
    ceiling_db: float | None


class CoiledLoop(TypedDict):
    """A loop of the coil as it sounds through the song; round: beats until it begins again.

    anew: it is begun anew at each bar
    """

    slot: str
    round: float
    anew: bool
    events: list[Event]


class Sheet(SheetHead):
    """pulses: beat, song frame, bar, number in the bar."""

    desk: Desk
    events: list[Event]
    hand_events: list[Event]
    coil: list[CoiledLoop]
    pulses: list[tuple[float, int, int, int]]
    shapes: dict[str, Shape]


class SongSheet(Sheet):
    revision: int


class EventsChange(TypedDict):
    set: list[Event]
    gone: list[str]


class SheetChange(SheetHead):
    """What is other since the sheet with the token `since`; None stays, shapes are those new."""

    revision: int
    since: str
    desk: Desk | None
    events: EventsChange
    hand_events: list[Event] | None
    coil: list[CoiledLoop] | None
    pulses: list[tuple[float, int, int, int]] | None
    shapes: dict[str, Shape]


class HandSheet(TypedDict):
    """knots: second, frame; beats: beat of the pass, frame; straight between them.

    rings: of what its slices send, what comes back: digest, frames before the one and in all
    """

    rate: int
    digest: str
    against: str
    clicks: str | None
    rings: tuple[str, int, int] | None
    source: str
    recorded: str
    gain: float
    channels: int
    source_frames: int
    frames: int
    lead: int
    body: int
    span: float
    knots: list[Pair]
    beats: list[tuple[float, int]]
    zero_s: float
    end_s: float


class Trial(TypedDict, total=False):
    """What an intent would sound like: alone, or the song with it."""

    sheet: HandSheet
    song: SongSheet


class ShownTrack(TypedDict):
    id: str
    name: str
    level_db: float
    muted: bool
    solo: bool
    yarn: int | None
    gives_way_to: str | None
    sound: Sound
    lines: list[Line]


class ShownPhrase(TypedDict):
    id: str
    name: str
    yarn: int


class ShownSection(TypedDict):
    bar: int
    name: str
    yarn: int


class MetreSpan(TypedDict):
    bar: int
    beat: float
    metre: str
    beats_per_bar: float
    beats_per_pulse: float


class TempoOffer(TypedDict):
    strand: str
    name: str
    bpm: float


class ShownTempo(TypedDict):
    beat: float
    bpm: float
    shape: Literal["step", "ramp"]
    bend: float
    place: str


class ShownKey(TypedDict):
    """moved: semitones from the first key's tonic, by which what follows is moved."""

    bar: int
    beat: float
    key: str
    moved: int


class StretchSettings(TypedDict):
    formants: float
    grain_seconds: float
    density: float
    jitter_seconds: float
    spread: float
    direction: str
    frozen_at: float | None
    seed: int
    voice: str | None


class ShownStrand(TypedDict):
    id: str
    name: str
    loop: str
    yarn: int
    span: float
    zero_s: float
    end_s: float
    lead: bool
    crossfade_ms: float
    follows: bool
    method: str
    parts: PartsOrAuto
    shift: float
    cents: float
    follows_key: bool
    key_shift: int
    settings: StretchSettings
    gain_db: float
    opens: bool
    duration_ratio: float
    tempo_change_percent: float
    spool_semitones: float
    recorded_bpm: float
    seconds: float
    shape: list[Pair]
    lead_beats: float
    tail_beats: float
    strain: float | None
    strain_level: int | None
    strain_words: str | None


class ShownClip(TypedDict):
    id: str
    strand: str
    track: str
    beat: float
    passes: int
    length: float | None
    slip: float
    shift: float
    gain_db: float
    fade_in_ms: float
    fade_out_ms: float
    muted: bool
    name: str | None
    yarn: int | None
    phrase: str | None
    fade_in_curve: Curve
    fade_out_curve: Curve
    cross_ms: float
    cross_curve: Curve
    gain_line: list[LinePoint]
    reverse: bool
    beats: float
    pass_beats: float
    is_whole: bool
    bar: int
    place: str
    trouble: str | None
    duration_ratio: float
    strain: float | None
    strain_level: int | None
    strain_words: str | None


class ShownGroove(TypedDict):
    """steps: offset as a share of a step, accent in dB, spread, hits; rows: so by register."""

    name: str
    origin: str
    per_beat: int
    grid: str
    beats: float
    swing_percent: float | None
    steps: list[GrooveStep]
    rows: dict[str, list[GrooveStep]]
    hits: int


class KeptGroove(ShownGroove):
    id: str


class SongGroove(TypedDict):
    bar: int
    groove: str | None
    name: str | None


class GroovedHit(TypedDict):
    """before, after, target: beats of the pass; register: 0 low, 1 middle, 2 high."""

    second: float
    before: float
    after: float
    target: float | None
    strength: float
    register: int
    own_db: float
    gain_db: float
    held: bool
    leans: bool
    moved_ms: float
    off_before_ms: float | None
    off_after_ms: float | None
    noticed: bool


class LaidGroove(TypedDict):
    """kept: id of the kept groove that it is; None where that is gone, or never was."""

    kept: str | None
    groove: ShownGroove | None
    follows: bool
    timing: float
    accents: float
    reach: float
    registers: list[str]
    apart: bool
    keeps_lengths: bool


class FarthestMove(TypedDict):
    ms: float
    place: str


class ExplainedGrid(TypedDict):
    per_beat: int
    name: str
    error_beats: float
    left_out: float


class HandGroove(TypedDict):
    """What is laid over what is in hand, and every hit before and after; averages in ms."""

    laid: LaidGroove | None
    hits: list[GroovedHit]
    span: float
    bpm: float
    before_ms: float | None
    after_ms: float | None
    farthest: FarthestMove | None
    left_out: int
    held: int
    sensitivity: float
    grids: list[ExplainedGrid]
    reach: float
    usual_sensitivity: float


class ShiftShare(TypedDict):
    shift: int
    inside: float


class OtherKey(TypedDict):
    key: str
    confidence: float
    shift: int | None


class HandKey(TypedDict):
    """profile, weights: by pitch class, C first; asked: semitones that the key asks.

    rule_key, by_key, leeway: what the strand is brought into the key by, its own key alone, how far
    that stands; anew: what it would be by now.
    """

    names: list[str]
    profile: list[float]
    key: str | None
    weights: list[float]
    own: str | None
    follows: bool
    prefers: Literal["tonic", "relative"]
    along: bool
    is_midi: bool
    outside: list[str]
    asked: int
    shift: float
    set_cents: float
    shifted: float
    shares: list[ShiftShare]
    proposed: int | None
    rule_key: str | None
    by_key: int | None
    leeway: float
    anew: OtherKey | None
    others: list[OtherKey]
    confidence: float
    key_from: KeyFrom | None
    cents: float | None
    correction: float | None
    spool_cents: float
    mending: float


class ShiftClash(TypedDict):
    shift: int
    clash: float


class BarClash(TypedDict):
    clash: float
    worst: str


class ClashRow(TypedDict):
    """bars: from the first; None where one of the two rests."""

    strand: str
    name: str
    bars: list[BarClash | None]


class HandClash(TypedDict):
    """heard: from which value on two are said to clash; left_out: bars after `count`."""

    first_bar: int
    count: int
    left_out: int
    heard: float
    sentence: str
    rows: list[ClashRow]


class Apart(TypedDict):
    """Root mean square over the steps that both tell; None where there are none."""

    ms: float | None
    db: float | None


class ShownSlot(TypedDict):
    """As `document.coil.Slot`."""

    id: str
    strand: str
    key: str
    speed: float
    anew: bool


class StateHead(TypedDict):
    """tempo_line: (beat, BPM), straight between them; token: of this answer, to be given back."""

    token: str
    id: str
    revision: int
    moves: int
    undo: str | None
    redo: str | None
    notes: list[str]
    name: str
    rate: int
    bpm: float
    tempos: list[ShownTempo]
    tempo_line: list[Pair]
    metre: str
    metres: list[MetreSpan]
    offer: TempoOffer | None
    beats_per_bar: float
    beats_per_pulse: float
    key: str | None
    keys: list[ShownKey]
    a4_hz: float
    master_db: float
    master_sound: Sound
    master_lines: list[Line]
    ceiling_db: float | None
    room: Room
    echo: Echo
    last_bar: int
    end_beat: float
    phrases: list[ShownPhrase]
    sections: list[ShownSection]
    feel: list[SongGroove]
    coil: list[ShownSlot]


class ProjectState(StateHead):
    grooves: list[KeptGroove]
    tracks: list[ShownTrack]
    strands: list[ShownStrand]
    clips: list[ShownClip]


class StrandsChange(TypedDict):
    """set: other or new; gone: ids; order: of all ids, where new ones are not behind the rest."""

    set: list[ShownStrand]
    gone: list[str]
    order: list[str] | None


class TracksChange(TypedDict):
    """As StrandsChange."""

    set: list[ShownTrack]
    gone: list[str]
    order: list[str] | None


class ClipsChange(TypedDict):
    """As StrandsChange."""

    set: list[ShownClip]
    gone: list[str]
    order: list[str] | None


class StateChange(StateHead):
    """What is other since the answer with the token `since`; grooves: None where they are not."""

    since: str
    grooves: list[KeptGroove] | None
    tracks: TracksChange
    strands: StrandsChange
    clips: ClipsChange


class Version(TypedDict):
    """edits: done since it parted from what is now."""

    number: int
    name: str | None
    label: str
    made_at: str
    edits: int


class ShownReading(TypedDict):
    bars: int
    beats_per_bar: int
    tempo_bpm: float
    downbeat_s: float
    end_s: float
    confidence: float
    reason: str
    is_end_stated: bool


class KnownReading(ShownReading):
    """index: in the loop's list; −1 is a person's own that is none of them."""

    index: int
    source: Literal["heard", "claimed", "stated"]
    adopted: bool


class LaidReading(KnownReading):
    duration_ratio: float


class Steadiness(TypedDict):
    """curve: second, BPM as played, BPM as laid."""

    lowest_bpm: float
    highest_bpm: float
    deviation_bpm: float
    drift_percent: float
    mean_bpm: float
    curve: list[tuple[float, float, float]]
    after_deviation_bpm: float
    after_mean_bpm: float


class HeardKey(TypedDict):
    key: str | None
    confidence: float
    runner_up: str | None
    runner_up_confidence: float
    cents: float | None


class HeardSound(TypedDict):
    kind: str | None
    confidence: float


class Method(TypedDict):
    key: str
    name: str
    family: str
    about: str
    uses: list[str]
    shifts: bool
    strain: float | None


class Chosen(TypedDict):
    method: str
    name: str
    why: str


class Strain(TypedDict):
    """along: second of the recording from which, strain, level of how it is heard."""

    mean: float
    most: float
    most_at: str
    words: str
    along: list[tuple[float, float, int]]


class Straightening(TypedDict):
    every: float
    amount: float
    ties: int


class OwnTime(TypedDict):
    beats: float
    late: float


class Named(TypedDict):
    key: str
    name: str


class ProposedReading(TypedDict):
    """An intent as it would be asked for, but for what is in hand."""

    kind: Literal["state_reading"]
    bars: NotRequired[int]
    beats_per_bar: NotRequired[int]
    tempo_bpm: NotRequired[float]
    downbeat_s: NotRequired[float]
    end_s: NotRequired[float]


class Proposal(TypedDict):
    words: str
    intent: ProposedReading


class Hand(ShownStrand):
    """attacks: second, strength, sureness; pace: fewest and most beats a second; shelved: hash of
    the loop that it is on the shelf, which its `loop` may have made; is_made_again: that is a
    print, and its recipe is run again from its recordings."""

    hand: str
    shelved: str
    is_print: bool
    is_made_again: bool
    is_new: bool
    loop_name: str
    channels: int
    file_kind: str
    source_rate: int
    is_stated: bool
    once_beats: float
    bars: int | None
    beats_per_bar: int
    tempo_bpm: float | None
    confidence: float
    knots: list[Knot]
    beat_share: float
    pace: Pair
    most_ratio: float
    strained: Strain | None
    attacks: list[tuple[float, float, float]]
    sensitivity: float
    beats: list[float]
    sounding: Pair
    is_by_hand: bool
    fastened: list[Pair]
    straighten: Straightening | None
    has_groove: bool
    steadiness: Steadiness | None
    own_time: OwnTime | None
    key: str | None
    key_from: KeyFrom | None
    heard_key: HeardKey
    sound: str | None
    warnings: list[str]
    claims: dict[str, Any]
    readings: list[LaidReading]
    proposals: list[Proposal]
    methods: list[Method]
    voices: list[Named]
    voice: str | None
    shifted: float
    parts_sounding: Parts
    why_whole: str | None
    limits: dict[str, Pair]
    chosen: Chosen


class ShownShape(TypedDict):
    """As `core.slicing.shape.Shape`."""

    attack_ms: float
    decay_ms: float
    sustain: float
    release_ms: float
    bend: float
    bend_rise_ms: float
    bend_ms: float
    bend_sustain: float
    filter: Literal["off", "low", "high", "band"]
    cutoff_hz: float
    resonance_db: float
    sweep: float
    sweep_ms: float
    wave: float
    wave_beats: float
    drive_db: float


class ShownPiece(TypedDict):
    """As `core.slicing.piece.Piece`."""

    name: str
    gain_db: float
    pan: float
    sway: float
    sway_beats: float
    room_db: float
    echo_db: float
    semitones: float
    reverse: bool
    muted: bool
    rings: bool
    held: bool
    choke: int
    length: Literal["laid", "left", "filled"]
    method: str
    fade_in_ms: float
    fade_out_ms: float
    shape: ShownShape


class ShownTile(TypedDict):
    """As `core.order.order.Tile`."""

    beat: float
    beats: float
    piece: int
    gain_db: float
    semitones: float
    reverse: bool
    hits: int
    rise_db: float
    climb: float
    muted: bool
    also: list[int]


class ShownOrder(TypedDict):
    """is_own: it is not as it was cut; felt: the beats that a groove has its tiles on, or none."""

    beats: float
    tiles: list[ShownTile]
    is_own: bool
    felt: list[float]


class ShownBorrowed(TypedDict):
    """A piece of another recording: its seconds there, and the loop's name."""

    source: str
    name: str
    start: float
    stop: float


class ShownDeal(TypedDict):
    seed: int
    like: bool
    far: float
    is_now: bool


class ShownRound(TypedDict):
    beats: float
    strokes: int


class HandSlices(TypedDict):
    """edges: seconds at which its own pieces begin, and where the last ends; beats: of the same.

    pieces: its own and, after them, those that are borrowed; pads: which of them lies on each;
    warp: seconds and beats between which it is straight
    """

    is_cut: bool
    edges: list[float]
    beats: list[float]
    pieces: list[ShownPiece]
    borrowed: list[ShownBorrowed]
    pads: list[int]
    warp: list[Pair]
    order: ShownOrder
    dealt: list[ShownDeal]
    rounds: list[ShownRound]
    per_bar: float
    pulse: float


class ShownNote(TypedDict):
    """As `core.notes.written.LaidNote`."""

    beat: float
    beats: float
    pitch: int
    velocity: int
    part: int


class HandLanes(TypedDict):
    """Notes of a MIDI loop in beats of a pass; is_own: a person changed them.

    parts: their names; drums: which of them play drums
    """

    notes: list[ShownNote]
    parts: list[str]
    drums: list[int]
    span: float
    is_own: bool


class HandEdges(TypedDict):
    """edges: dB of the step and of the slope at each cut, against the sound around it."""

    edges: list[tuple[float, float]]


class LiveCell(TypedDict):
    """A render of which voices are stretches; lead: frames before its one."""

    digest: str
    channels: int
    lead: int
    frames: int


class LiveVoice(TypedDict):
    """As `core.render.live_plan.LiveVoice` and its voice."""

    cell: int
    which: int
    begins: bool
    ends: bool
    joins: bool
    room: int
    before: int
    start: int
    frames: int
    at: int
    gain_db: float
    pan: float
    reverse: bool
    shape: ShownShape | None
    release: int
    sway: float
    sway_beats: float
    beat: float
    beat_frames: float


class HandLive(TypedDict):
    """An order for who mixes it; digest: of the render that it sounds like."""

    digest: str
    body: int
    channels: int
    cells: list[LiveCell]
    voices: list[LiveVoice]


class HandPads(TypedDict):
    """pads: first frame of the render and how many, of each piece; 0 of one that is muted.

    sends: of each piece what it sends, and where: "room" or "echo", and dB.
    """

    digest: str
    channels: int
    frames: int
    pads: list[tuple[int, int]]
    sends: list[list[tuple[str, float]]]


class ShelfRow(TypedDict):
    sha: str
    stamp: int
    name: str
    set: str
    tags: list[str]
    file_kind: str
    seconds: float
    channels: int
    rate: int
    bars: int | None
    beats_per_bar: int | None
    tempo_bpm: float | None
    confidence: float
    is_stated: bool
    claimed_bpm: float | None
    key: str | None
    key_confidence: float
    is_key_stated: bool
    sound: str | None
    is_print: bool
    favourite: bool
    yarn: int
    duration_ratio: float | None
    shift: int | None
    warnings: list[str]
    alike: float | None
    why: str


class FacetValue(TypedDict):
    value: str | int
    count: int


class HitCounts(TypedDict):
    loops: int
    hits: int


class Facets(TypedDict):
    """tempo: how many loops in each step of BPM."""

    kinds: list[FacetValue]
    sounds: list[FacetValue]
    keys: list[FacetValue]
    sets: list[FacetValue]
    tags: list[FacetValue]
    bars: list[FacetValue]
    hits: HitCounts
    favourite: int
    printed: int
    taken_off: int
    fits: int
    tempo: list[int]
    tempo_from: float
    tempo_step: float


class Found(TypedDict):
    total: int
    first: int
    rows: list[ShelfRow]
    waiting: int
    facets: Facets


class KnownLoop(TypedDict):
    sha: str
    name: str
    set: str
    tags: list[str]
    seconds: float
    file_kind: str
    sound: str | None
    heard_sound: HeardSound
    key: str | None
    heard_key: HeardKey
    is_print: bool
    opens: bool
    is_stated: bool
    key_from: KeyFrom | None
    is_sound_stated: bool
    claims: dict[str, Any]
    warnings: list[str]
    reading: ShownReading | None
    readings: list[KnownReading]


class BringItem(TypedDict):
    id: str
    name: str
    state: str
    reason: str
    sha: str
    is_there: bool
    kept: str


class HowFar(TypedDict):
    counts: dict[str, int]
    refused: list[BringItem]
    doubles: list[BringItem]


class ShelfChange(TypedDict):
    id: int
    label: str
    count: int
    left_out: int


class Job(TypedDict):
    """What takes long. done, total: how far it is, in whatever it counts."""

    id: str
    kind: str
    label: str
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    done: int
    total: int
    result: dict[str, Any] | None
    error: str


class StartedJob(TypedDict):
    """It takes long: it is being done."""

    job: Job


class KeptSearch(TypedDict):
    """search: in the names of `AskShelf`."""

    id: str
    name: str
    search: dict[str, Any]


class Copied(TypedDict):
    """Clips with the strands that they are placements of, as `paste_clips` takes them."""

    beats: float
    strands: list[Any]
    clips: list[Any]


class MadeLoop(TypedDict):
    """A loop that was made here.

    change  number to take it off the shelf again by; None where it lay there already
    label   what that was, in words
    """

    sha: str
    name: str
    frames: int
    rate: int
    change: int | None
    label: str


class Counted(TypedDict):
    tempo_bpm: float | None
    proposals: list[Proposal]


class Tapped(TypedDict):
    bpm: float | None


class Loudness(TypedDict):
    recorded: float
    fitted: float


class FoundLoop(TypedDict):
    """Grades are 0…1, 1 the best."""

    start_s: float
    end_s: float
    bars: int
    bar: int
    seam: float
    again: float
    even: float
    begins: float
    tempo_bpm: float
    grade: float


class ListedProject(TypedDict):
    id: str
    name: str
    opened_at: str
    removed: bool


class NewId(TypedDict):
    id: str


class OfferedTag(TypedDict):
    tag: str
    count: int


class Offered(TypedDict):
    """Who is asked for loops online, and what it offers."""

    name: str
    version: int
    practice: bool
    host: str
    tags: list[OfferedTag]


class FamilyMember(TypedDict):
    """As `studio.family.Member`; ticks: where round a pass its hits are, and how strong."""

    id: str
    kind: Literal["source", "print", "grown"]
    name: str
    parents: list[str]
    said: str
    seed: int | None
    favourite: bool
    on_shelf: bool
    yarn: int
    ticks: list[tuple[float, float]]


class Family(TypedDict):
    members: list[FamilyMember]


class ShownStep(TypedDict):
    view: Literal["fit", "groove", "key", "slices", "arrange"]
    title: str
    said: str


class ShownRecipe(TypedDict):
    """frames: of one round, exactly; of: the name of its recording."""

    steps: list[ShownStep]
    beats: float
    bpm: float
    frames: int
    why_silent: str | None
    of: str
    unlike: list[str]


class LikeRow(TypedDict):
    """alike: −1…1; why: in words."""

    sha: str
    name: str
    alike: float
    why: str


class Likes(TypedDict):
    """waiting: loops that nobody measured yet."""

    rows: list[LikeRow]
    waiting: int


class Rank(TypedDict):
    """fit: with what plays, 0…1; unlike: 0…2; said: why it fits, or does not."""

    id: str
    fit: float
    unlike: float
    said: str


class Ranks(TypedDict):
    ranks: list[Rank]


class NewlyKept(TypedDict):
    """Something that was kept by name: as of `store.by_name.Kept`."""

    id: str
    name: str
    is_new: bool
    instead_of: str | None


class KeptWay(TypedDict):
    """A way of working: a recipe by name."""

    id: str
    name: str
