"""The one place where stores, workers and use-cases are wired together."""

import math
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from zeroknot.core.apart.parts import ALL_PARTS
from zeroknot.core.errors import EditError, ZeroKnotError
from zeroknot.core.formats.handed import HandOver
from zeroknot.core.mixing.sheet import Sheet
from zeroknot.core.render.any_plan import AnyPlan, channels_of
from zeroknot.core.render.clicks import ClickPlan
from zeroknot.core.render.plan import plan_as_written
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.document.project import Project
from zeroknot.document.strand import LONGEST_NAME, Strand
from zeroknot.settings import Settings
from zeroknot.store.audio_store import AudioStore
from zeroknot.store.by_name import Kept
from zeroknot.store.cache import Trimmer
from zeroknot.store.company import CompanyStore
from zeroknot.store.damaged import DATABASE
from zeroknot.store.database import opened_database
from zeroknot.store.grooves import GrooveStore
from zeroknot.store.incoming import WAITING, IncomingStore
from zeroknot.store.jobs import Job, JobStore
from zeroknot.store.likenesses import LikenessStore
from zeroknot.store.loops import LoopStore
from zeroknot.store.revisions import RevisionStore
from zeroknot.store.searches import SearchStore
from zeroknot.store.ways import WayStore
from zeroknot.studio.announcer import Announcer
from zeroknot.studio.audition import AS_IT_IS, Audition, auditioned, match_db
from zeroknot.studio.bring import Bringing
from zeroknot.studio.bundles import Bundles
from zeroknot.studio.exchange import Exchange, OnlineLoop
from zeroknot.studio.executors import Executors
from zeroknot.studio.family import Families
from zeroknot.studio.hand import KNOT_SETS, Hand, in_hand, with_other_knots
from zeroknot.studio.hand_over import HandingOver
from zeroknot.studio.jobs import Jobs
from zeroknot.studio.key_view import Clashes
from zeroknot.studio.known import Known
from zeroknot.studio.likenesses import Likenesses
from zeroknot.studio.low_end import LowEnds
from zeroknot.studio.made_loops import MadeLoops
from zeroknot.studio.measured import (
    found_zeros,
    measured_begun,
    measured_hits,
    measured_likeness,
    measured_tones,
    read_scores,
)
from zeroknot.studio.mixdown import Mixdowns
from zeroknot.studio.placement import Placement
from zeroknot.studio.prints import Prints
from zeroknot.studio.projects import Projects
from zeroknot.studio.renders import Renders
from zeroknot.studio.rings import rings_of
from zeroknot.studio.sheets import SheetMaker, gain
from zeroknot.studio.shelf import Shelf
from zeroknot.studio.slices_out import SlicesOut
from zeroknot.studio.song_sheets import SongSheets
from zeroknot.studio.takes import Takes
from zeroknot.studio.watched import Watched

BEFORE = "before"
LAID = "laid"
MOST_PREPARED = 6
PREPARED_BLOCKS = 6


class Studio:
    """Everything a person can do, for whichever interface asks."""

    def __init__(self, settings: Settings, executors: Executors):
        self.settings, self.executors = settings, executors
        self.store = AudioStore(settings.data)
        self._engine = opened_database(settings.data / DATABASE)
        self.announcer = Announcer()
        self.grooves = GrooveStore(self._engine)
        self.hits = measured_hits(self.store.folder, executors)
        self.tones = measured_tones(self.store.folder, executors)
        self.begun = measured_begun(self.store.folder, executors)
        self.alike = measured_likeness(self.store.folder, executors)
        zeros = found_zeros(self.store.folder, executors)
        self.score = read_scores(self.store.folder, executors)
        self.loops = LoopStore(self._engine)
        self.clashes = Clashes(self.store.folder, self.loops, executors)
        self.jobs = Jobs(JobStore(self._engine), self.announcer)
        self.shelf = Shelf(self.loops, SearchStore(self._engine), self.announcer, self.jobs)
        self.projects = Projects(
            RevisionStore(self._engine),
            Known(self.loops, self.hits, self.tones, self.begun, self.alike, zeros, self.score),
            self.announcer,
        )
        incoming = IncomingStore(self._engine)
        kept_likenesses = LikenessStore(self._engine)
        self.bringing = Bringing(
            self.store, self.loops, kept_likenesses, incoming, executors, self.announcer,
            settings.largest_upload, CompanyStore(self._engine), self.projects.tempo_now,
        )  # fmt: skip
        self.renders = Renders(self.store.folder, executors)
        self._sheets = SongSheets(self.loops, self.renders)
        made_loops = MadeLoops(self.store, self.loops, executors, self.announcer)
        self.prints = Prints(self.store, self.loops, executors, made_loops)
        self.handing_over = HandingOver(self.store, self.loops, executors)
        self.low_ends = LowEnds(self.store.folder, self.loops, executors, self.jobs)
        self.mixdowns = Mixdowns(self.store.folder, self.loops, executors, self.jobs)
        self.families = Families(self.loops)
        self.ways = WayStore(self._engine)
        self.likenesses = Likenesses(self.store, kept_likenesses, self.loops, executors)
        made_loops.kept.append(self.likenesses.soon)
        self.takes = Takes(self.store, self.loops, executors, made_loops)
        self.slices_out = SlicesOut(self.store, executors, self.renders)
        self.bundles = Bundles(self.projects, self.loops, self.store)
        coming = [item for item in incoming.all() if item.state == WAITING]
        self.store.sweep(item.path for item in coming)
        self.exchange = Exchange(
            settings.exchange, self.store, self.bringing, settings.largest_upload
        )
        self.watched = None
        if settings.watch:
            self.watched = Watched(settings.watch, settings.data, self.bringing, self.handing_over)
            made_loops.kept.append(self.watched.take_out)
            self.watched.start()
        self._trimmer = Trimmer(self.store.cache, settings.cache_bytes)
        self.jobs.go_on()
        self.bringing.go_on()
        on_the_way = {name for item in coming for name in (item.sha, item.path.name)}
        self.bringing.take_up(self.store.unknown(self.loops.shas() | on_the_way))
        self.bringing.hear_again()

    def close(self) -> None:
        if self.watched:
            self.watched.close()
        self.bringing.close()
        self.jobs.close()
        self.executors.close()
        self.renders.close()
        self._trimmer.close()
        self._engine.dispose()

    def at_work(self) -> list[Job]:
        """All that is being done in the background, bringing in, too."""
        return [*self.jobs.active(), *self.bringing.as_job()]

    def let_go(self, id_: str) -> Job:
        """End something of that; what is done stays done."""
        for job in self.bringing.as_job():
            if job.id == id_:
                self.bringing.cancel()
                return job
        return self.jobs.cancel(id_)

    def hand(self, project: Project, name: str) -> Hand:
        """What is in hand under that id or hash."""
        hand = in_hand(project, self.loops, name)
        return replace(
            hand, measure=self.hits, listen=self.tones, begin=self.begun, compare=self.alike
        )

    def keep_way(self, project: str, hand: str, name: str) -> Kept:
        """Keep how something was made, by name, to do it again to other loops."""
        written = self.prints.recipe(self.projects.state(project).project, hand)
        if not written.strand:
            raise EditError("a stretch of a song is no way of working on a loop")
        plain = " ".join(name.split())[:LONGEST_NAME] or written.name
        text = replace(written, name=plain).text
        return self.ways.keep(plain, text, datetime.now(UTC).isoformat(timespec="microseconds"))

    def offer(self, sha: str, maker: str, licence: str) -> OnlineLoop:
        """Lay a loop that was printed here on the exchange."""
        loop = self.loops.get(sha)
        self.exchange.refuse_offer(loop, licence)
        made = self.handing_over.files([sha], HandOver())
        try:
            return self.exchange.offer(loop, made.file, maker, licence)
        finally:
            made.file.unlink(missing_ok=True)

    def shelve_groove(self, project: str, groove: str) -> Kept:
        """Keep one of a project's grooves for every other."""
        kept = self.projects.state(project).project.kept_groove(groove)
        return self.grooves.keep(kept.groove, datetime.now(UTC).isoformat(timespec="microseconds"))

    def sheet(self, project: Project) -> Sheet:
        """What the arrangement plays; its renders can be asked for from then on."""
        maker = SheetMaker(project, self.loops.named(project.loops()))
        sheet = maker.arrangement()
        self.renders.know(maker.plans)
        return sheet

    def play_sheet(
        self, project: Project, hand_name: str | None, audition: Audition = AS_IT_IS,
        known: str | None = None,
    ) -> Any:  # fmt: skip
        """The sheet as the browser plays it, with the table of pulses it looks positions up in.

        audition  how what is in hand is heard with the rest
        known     token of the sheet that the page has: it is told what is other since
        """
        return self._sheets.told(project, hand_name, audition, known)

    def _other(self, project: Project, hand: Hand, against: str) -> Strand:
        """The strand by another method, with other knots or of other parts, on the same span."""
        if against in KNOT_SETS:
            return with_other_knots(hand.strand, against)
        if against == BEFORE:
            before = self.projects.before(project.id)
            known = [s for s in before.strands if s.id == hand.strand.id] if before else []
            if not known or known[0].round_beats != hand.strand.round_beats:
                raise EditError(
                    "before the last change it was not laid like this; nothing to compare"
                )
            return known[0]
        if against in ALL_PARTS:
            return hand.strand.changed(parts=against)
        return hand.strand.changed(method=against)

    def prepare(self, project: Project, hands: list[str], audition: Audition) -> int:
        """Render the beginnings of what may be heard next, behind what is asked for now.

        returns  how many could be
        """
        prepared = 0
        for name in hands[:MOST_PREPARED]:
            try:
                hand = auditioned(project, self.hand(project, name), audition)
                placed = Placement.of(project, hand.strand, hand.loop)
                plan = placed.heard if hand.strand.printed else placed.plan
            except ZeroKnotError:
                continue  # what cannot be heard is said when somebody wants to hear it
            self.renders.know({plan.digest: plan})
            self.renders.prepare(plan.digest, PREPARED_BLOCKS)
            prepared += 1
        return prepared

    def _ticked(self, project: Project, placed: Placement, clicks: str) -> ClickPlan | None:
        """The ticks of a groove over a pass; None where there is no groove."""
        if clicks != LAID:
            return placed.clicks(project.kept_groove(clicks).groove)
        laid = placed.strand.groove
        targets = laid.groove or placed.feel if laid else None
        return placed.clicks(targets) if targets else None

    def hand_sheet(
        self, project: Project, hand_name: str, beat: float, against: str | None = None,
        audition: Audition = AS_IT_IS, clicks: str | None = None, order: bool = False,
    ) -> Any:  # fmt: skip
        """What is needed to hear the strand in hand alone: as fitted and as recorded.

        against  a method, or a set of knots (KNOT_SETS), to compare with; its render lies on the
                 same axis
        clicks   id of a kept groove whose steps are ticked beside, LAID for the one that is laid
        order    its pieces in their order are what is heard, not the loop as a whole
        """
        hand = auditioned(project, self.hand(project, hand_name), audition)
        placed = Placement.of(project, hand.strand, hand.loop, beat)
        plan = placed.plan
        # A print is heard as it was made, and as recorded it is what was printed.
        printed = self.loops.get(hand.shelved) if hand.strand.printed and audition.matched else None
        heard = placed.heard if order or printed else plan
        plans: dict[str, AnyPlan] = {heard.digest: heard}
        ticked = self._ticked(project, placed, clicks) if clicks else None
        if ticked:
            plans[ticked.digest] = ticked
        rings = rings_of(project, placed) if order else None
        if rings:
            plans[rings.digest] = rings
        other = heard
        if against is not None:
            strand = self._other(project, hand, against)
            another = Placement.of(project, strand, hand.loop, beat)
            other = another.heard if order else another.plan
            plans[other.digest] = other
        recorded = f"source:{hand.loop.sha}"
        if hand.loop.is_midi:
            settings = StretchSettings(voice=plan.settings.voice)
            written = plan_as_written(hand.loop.sha, project.rate, hand.loop.seconds, settings)
            plans[written.digest], recorded = written, written.digest
        self.renders.know(plans)
        shown = printed or hand.loop
        frames = math.floor(shown.frames * project.rate / shown.rate)
        warp = hand.strand.warp
        zero_s, end_s = warp.zero.second, warp.end.second
        knots = [list(k) for k in plan.knots]
        if printed and printed.reading:
            recorded = f"source:{printed.sha}"
            zero_s, end_s = printed.reading.downbeat_s, printed.reading.end_s
            knots = [[zero_s, 0], [end_s, heard.body_frames]]
        return {
            "rate": project.rate,
            "digest": heard.digest,
            "against": other.digest,
            "clicks": ticked.digest if ticked else None,
            "rings": (rings.digest, rings.lead_frames, rings.frames) if rings else None,
            "source": shown.sha,
            "recorded": recorded,
            "gain": gain(match_db(shown, audition)),
            "channels": channels_of(heard, hand.loop.channels),
            "source_frames": frames,
            "frames": heard.frames,
            "lead": heard.lead_frames,
            "body": heard.body_frames,
            "span": warp.span,
            "knots": knots,
            "beats": placed.round_table if order or printed else placed.beat_table,
            "zero_s": zero_s,
            "end_s": end_s,
        }
