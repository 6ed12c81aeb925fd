// @ts-check
/**
 * What is said to the server and what it answers, as it describes itself (assets/api_types.sh).
 *
 * @typedef {import("api").Event} SheetEvent
 * @typedef {import("api").Shape} Shape
 * @typedef {import("api").SongSheet} Sheet
 * @typedef {import("api").Desk} Desk
 * @typedef {Required<import("api").Sound>} Sound
 * @typedef {import("api").Line} Line
 * @typedef {import("api").HandSheet} SentSheet
 * @typedef {import("api").ShownTrack} Track
 * @typedef {import("api").MetreSpan} MetreSpan
 * @typedef {import("api").TempoOffer} TempoOffer
 * @typedef {import("api").Proposal} Proposal
 * @typedef {import("api").ShownTempo} TempoPoint
 * @typedef {import("api").StretchSettings} StretchSettings
 * @typedef {import("api").ShownStrand} Strand
 * @typedef {import("api").SeamFacts} SeamFacts
 * @typedef {import("api").RangeFacts} RangeFacts
 * @typedef {import("api").FoundLoop} FoundLoop
 * @typedef {import("api").ShownClip} Clip
 * @typedef {import("api").ProjectState} ProjectState
 * @typedef {import("api").StateChange} StateChange
 * @typedef {import("api").SheetChange} SheetChange
 * @typedef {import("api").Version} Version
 * @typedef {import("api").Job} Job
 * @typedef {import("api").LaidReading} Reading
 * @typedef {import("api").Steadiness} Steadiness
 * @typedef {import("api").HeardKey} HeardKey
 * @typedef {import("api").HeardSound} HeardSound
 * @typedef {import("api").Method} Method
 * @typedef {import("api").Chosen} Chosen
 * @typedef {import("api").Strain} Strain
 * @typedef {import("api").Straightening} Straightening
 * @typedef {import("api").OwnTime} OwnTime
 * @typedef {import("api").Hand} Hand
 * @typedef {import("api").HandGroove} HandGroove
 * @typedef {import("api").GroovedHit} GroovedHit
 * @typedef {import("api").ShownGroove} Groove
 * @typedef {import("api").KeptGroove} KeptGroove
 * @typedef {import("api").HandKey} HandKey
 * @typedef {import("api").HandClash} HandClash
 * @typedef {import("api").HandSlices} HandSlices
 * @typedef {import("api").HandPads} HandPads
 * @typedef {import("api").HandLive} HandLive
 * @typedef {import("api").LiveVoice} LiveVoice
 * @typedef {import("api").HandLanes} HandLanes
 * @typedef {import("api").ShownPiece} Piece
 * @typedef {import("api").ShownTile} Tile
 * @typedef {import("api").ShelfRow} ShelfRow
 * @typedef {import("api").FacetValue} FacetValue
 * @typedef {import("api").HitCounts} HitCounts
 * @typedef {import("api").Facets} Facets
 * @typedef {import("api").Found} Found
 * @typedef {import("api").KnownLoop} KnownLoop
 * @typedef {import("api").BringItem} BringItem
 * @typedef {import("api").MadeLoop} MadeLoop
 * @typedef {[number, number, number]} Attack second, strength, sureness
 * @typedef {SentSheet & {is_range?: boolean}} HandSheet is_range: it is a stretch of the recording
 */
/** What a person asks for. @typedef {import("api").Ask["intent"]} Intent */
/** The same of what is in hand: which that is, is added. @typedef {import("api").AskTrial["intent"]} HandIntent */
/** @template T @typedef {T extends {hand: string} ? Omit<T, "hand"> : never} OfHand */
/** @typedef {OfHand<HandIntent>} FitIntent */
export {};
