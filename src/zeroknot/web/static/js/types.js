// @ts-check
/**
 * What the server sends. A test holds these against the server's own description.
 *
 * @typedef {{id: string, track: string, strand: string, digest: string, at: number, start: number,
 *   frames: number, gain: number, fade_in: number, fade_out: number}} SheetEvent
 * @typedef {{channels: number, frames: number, lead: number, body: number}} Shape
 * @typedef {{id: string, gain: number}} TrackLevel
 * @typedef {{revision: number, rate: number, events: SheetEvent[], hand_events: SheetEvent[],
 *   tracks: TrackLevel[], master: number, first_frame: number, end_frame: number,
 *   last_bar: number, close_frame: number, pulses: [number, number, number, number][], time_key: string,
 *   shapes: Record<string, Shape>}} Sheet
 * @typedef {{rate: number, digest: string, against: string, source: string, recorded: string, gain: number, channels: number,
 *   source_frames: number, frames: number, lead: number, body: number, span: number,
 *   knots: [number, number][], zero_s: number, end_s: number}} SentSheet
 * @typedef {SentSheet & {is_range?: boolean}} HandSheet is_range: it is a stretch of the recording
 * @typedef {{id: string, name: string, level_db: number, muted: boolean, solo: boolean}} Track
 * @typedef {{bar: number, beat: number, metre: string, beats_per_bar: number, beats_per_pulse: number}} MetreSpan
 * @typedef {{strand: string, name: string, bpm: number}} TempoOffer
 * @typedef {{words: string, intent: Record<string, unknown>}} Proposal
 * @typedef {{beat: number, bpm: number, shape: "step" | "ramp", bend: number, place: string}} TempoPoint
 * @typedef {{semitones: number, formants: number, grain_seconds: number, density: number,
 *   jitter_seconds: number, spread: number, direction: string, frozen_at: number | null,
 *   seed: number, voice: string | null}} StretchSettings
 * @typedef {{id: string, name: string, loop: string, yarn: number, span: number, zero_s: number,
 *   end_s: number, lead: boolean, crossfade_ms: number, follows: boolean, method: string, settings: StretchSettings, gain_db: number,
 *   duration_ratio: number, tempo_change_percent: number, spool_semitones: number,
 *   recorded_bpm: number, seconds: number, shape: [number, number][], lead_beats: number,
 *   tail_beats: number, strain: number | null, strain_level: number | null, strain_words: string | null}} Strand
 * @typedef {{alike: number, jump: number, is_heard: boolean, heard_jump: number, is_mended: boolean}} SeamFacts
 * @typedef {{id: string, strand: string, track: string, beat: number, beats: number,
 *   passes: number, slip: number, pass_beats: number, gain_db: number, muted: boolean, is_whole: boolean, bar: number,
 *   place: string}} Clip
 * @typedef {{id: string, revision: number, moves: number, undo: string | null, redo: string | null,
 *   notes: string[], name: string, rate: number, bpm: number, tempos: TempoPoint[],
 *   offer: TempoOffer | null, tempo_line: [number, number][], metres: MetreSpan[], metre: string, beats_per_bar: number, beats_per_pulse: number, key: string | null,
 *   master_db: number, last_bar: number, end_beat: number, tracks: Track[], strands: Strand[],
 *   clips: Clip[]}} ProjectState
 * @typedef {{bars: number, beats_per_bar: number, tempo_bpm: number, downbeat_s: number,
 *   end_s: number, confidence: number, reason: string, index: number, duration_ratio: number,
 *   is_end_stated: boolean, adopted: boolean, source: "heard" | "claimed" | "stated"}} Reading
 * @typedef {[number, number, number]} Attack second, strength, sureness
 * @typedef {{lowest_bpm: number, highest_bpm: number, deviation_bpm: number,
 *   drift_percent: number, mean_bpm: number, after_deviation_bpm: number, after_mean_bpm: number,
 *   curve: [number, number, number][]}} Steadiness
 * @typedef {{key: string | null, confidence: number, runner_up: string | null,
 *   runner_up_confidence: number, cents: number | null}} HeardKey
 * @typedef {{kind: string | null, confidence: number}} HeardSound
 * @typedef {{key: string, name: string, family: string, about: string, uses: string[],
 *   strain: number | null}} Method
 * @typedef {{method: string, name: string, why: string}} Chosen
 * @typedef {{mean: number, most: number, most_at: string, words: string,
 *   along: [number, number, number][]}} Strain
 * @typedef {{every: number, amount: number, ties: number}} Straightening
 * @typedef {{beats: number, late: number}} OwnTime
 * @typedef {Strand & {hand: string, is_new: boolean, loop_name: string, channels: number,
 *   file_kind: string, source_rate: number, is_stated: boolean, once_beats: number,
 *   bars: number | null, beats_per_bar: number, tempo_bpm: number | null, confidence: number,
 *   knots: number[][], beat_share: number, pace: [number, number], most_ratio: number, is_by_hand: boolean,
 *   fastened: [number, number][], straighten: Straightening | null, own_time: OwnTime | null,
 *   attacks: Attack[], sensitivity: number, has_key: boolean, beats: number[],
 *   sounding: [number, number], steadiness: Steadiness | null, key: HeardKey, sound: HeardSound,
 *   warnings: string[], claims: Record<string, unknown>, readings: Reading[],
 *   proposals: Proposal[],
 *   methods: Method[], limits: Record<string, [number, number]>,
 *   voices: {key: string, name: string}[], voice: string | null,
 *   chosen: Chosen, strained: Strain | null}} Hand
 * @typedef {{sha: string, stamp: number, name: string, set: string, tags: string[],
 *   file_kind: string, seconds: number, channels: number, rate: number, bars: number | null,
 *   beats_per_bar: number | null, tempo_bpm: number | null, confidence: number, is_stated: boolean,
 *   claimed_bpm: number | null, key: string | null, key_confidence: number,
 *   is_key_stated: boolean, sound: string | null, is_print: boolean, favourite: boolean, yarn: number,
 *   duration_ratio: number | null, shift: number | null, warnings: string[]}} ShelfRow
 * @typedef {{value: string, count: number}} FacetValue
 * @typedef {{loops: number, hits: number}} HitCounts
 * @typedef {{kinds: FacetValue[], sounds: FacetValue[], keys: FacetValue[], sets: FacetValue[],
 *   tags: FacetValue[], bars: FacetValue[], hits: HitCounts,
 *   favourite: number, printed: number, taken_off: number, fits: number, tempo: number[], tempo_from: number,
 *   tempo_step: number}} Facets
 * @typedef {{total: number, first: number, rows: ShelfRow[], facets: Facets}} Found
 * @typedef {{sha: string, name: string, set: string, tags: string[], seconds: number,
 *   file_kind: string, sound: string | null, heard_sound: HeardSound, key: string | null,
 *   heard_key: HeardKey, is_stated: boolean, is_key_stated: boolean, is_sound_stated: boolean,
 *   claims: Record<string, unknown>, warnings: string[], reading: Record<string, any> | null,
 *   readings: Record<string, any>[]}} KnownLoop
 * @typedef {{id: string, name: string, state: string, reason: string, sha: string}} BringItem
 */
export {};
