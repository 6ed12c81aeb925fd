"""Does an order click where its tiles meet?

102 dealt orders of rendered loops (drums, keys, a bass, none of them the demo's), cut into eighths
and by attacks, at another tempo. At every edge of every voice: the largest second difference from
where its fade begins to where it ends, in dB over what the voices that sound there have at those
very moments of the loop uncut, or over the root mean square of 20 ms to both sides where that is
more: so a hit that begins at a cut is none of the edge's doing. The measure is that of
shared/bench/stretch (seam), over all of the fade.
"""

import numpy as np
from tests.sounds import rendered

from zeroknot.core.audio import Samples
from zeroknot.core.listening.attacks import all_attacks, sounding_range
from zeroknot.core.order.deal import Deal, dealt
from zeroknot.core.order.order import Order
from zeroknot.core.render.order_plan import OrderPlan, plan_order
from zeroknot.core.render.order_run import OrderRendering
from zeroknot.core.render.plan import plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.slicing.cut import Cut, by_attacks, into_equal
from zeroknot.core.slicing.onset import begins
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.units import gain_of_db
from zeroknot.core.warp.warp_map import WarpMap

LOOPS = {"drums_103": ("strike", 8.0), "keys_88": ("weave", 8.0), "bass_97": ("voice", 8.0)}
DEALS = 17  # of each loop in each of two cuts: 102 orders
BPM, RATE = 94.0, 44_100
AROUND, NEAR, AT = 900, 8, 3  # frames of the surround, left out of it, and of the edge


def bend(sound: Samples, first: int, last: int) -> np.ndarray:
    """The largest second difference of any channel, frame by frame; nothing outside the sound."""
    part = sound[:, max(0, first) : max(0, last)].astype(np.float64)
    return np.abs(np.diff(part, 2, axis=1)).max(axis=0) if part.shape[1] > 2 else np.zeros(1)


def added_db(
    made: Samples, plan: OrderPlan, uncut: Samples, lead: int, at: int, to: int
) -> float | None:
    """How far what is heard of a fade stands out of what its voices have there uncut, and of its
    surround; None at the ends, or where all is silent."""
    first, last = at - AROUND, to + AROUND
    if first < 0 or last > made.shape[1]:
        return None
    heard = bend(made, first, last)
    around = np.concatenate([heard[: AROUND - NEAR], heard[-AROUND + NEAR :]])
    usual = np.sqrt((around**2).mean())
    if usual < 1e-5:
        return None
    own = 0.0
    for voice in plan.voices:
        begin = voice.at + plan.lead_frames
        if begin < to + AT and begin + voice.frames > at - AT:
            place = voice.start + lead - begin
            own += gain_of_db(voice.gain_db) * bend(uncut, at - AT + place, to + AT + place).max()
    edge = heard[AROUND - AT : heard.size - AROUND + AT + 1].max()
    return float(20 * np.log10((edge + 1e-6) / (max(usual, own) + 1e-6)))


def main() -> None:
    """Print how much edges add, by loop."""
    for name, (method, beats) in LOOPS.items():
        sound = rendered(name)
        attacks = all_attacks(sound)
        warp = WarpMap.between(0.0, sound.seconds, beats)
        base = plan_pass(
            source="a" * 64, rate=sound.rate, warp=warp, tempo_map=TempoMap.steady(BPM),
            start_beat=0.0, lead_from=0.0, tail_to=sound.seconds, method=method,
        )  # fmt: skip
        source = Rendering(sound, attacks, base)
        uncut = source.whole()
        begun = list(zip(begins(sound, attacks.seconds), attacks.sureness, strict=True))
        sure = [(float(s), float(c)) for s, c in begun if c >= 0.35]
        cuts = into_equal(warp, 16), by_attacks(sure, warp, sounding_range(sound)[0])
        added: list[float] = []
        for cut in (Cut.at(starts) for starts in cuts):
            order = Order.as_cut(cut.starts, warp)
            for seed in range(DEALS):
                deal = Deal(seed=1000 + seed, rolls=0.15 if seed % 2 else 0.0)
                plan = plan_order(
                    base=base, cut=cut, order=dealt(order, deal, None), channels=sound.channels,
                    frame_of=lambda beat: round(beat * 60 / BPM * RATE),
                )  # fmt: skip
                made = OrderRendering(plan, [source for _ in plan.sources]).whole()
                for voice in plan.voices:
                    end = voice.frames
                    for a, b in ((0, voice.fade_in), (end - voice.fade_out, end)):
                        if b == a:
                            continue
                        at = voice.at + plan.lead_frames
                        found = added_db(made, plan, uncut, base.lead_frames, at + a, at + b)
                        if found is not None:
                            added.append(found)
        told = np.asarray(added)
        print(
            f"{name:10} {told.size:5} edges: {np.median(told):6.1f} dB median, "
            f"{np.percentile(told, 95):5.1f} at 95 %, under 1 dB {100 * (told < 1).mean():5.1f} %"
        )


if __name__ == "__main__":
    main()
