"""What is to be decided now: each call with its reason, the school it follows, and what it would do."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from bruvet.core.trial.ledger_rows import ROW
from bruvet.core.trial.terms import DoneRule, WrapIn, WrapRule, term
from bruvet.core.units import Units, span_words

from .lane import Lane, Seen, Told

# A look is good for this long when a bark is to be judged, and a first one is had after this.
LOOK_GOOD_MIN, FIRST_LOOK_MIN, LOOK_EVERY_MIN = 45.0, 180.0, 75.0
BAND_C = 3.0
ROTATE_C = 9.0
ORDER = ("pull", "done", "wrap", "rest", "bark", "apart", "departure", "look", "spritz", "rotate")
APART_MIN = 40.0
WRAP_SOON_MIN = 10.0


@dataclass(frozen=True)
class Call:
    """One thing to decide. `key` stays the same while it is the same call; `do` is the mark it would make, or empty."""

    key: str
    kind: str
    letter: str
    ask: str
    reason: str
    school: str
    effect: str
    do: str = ""


def calls(lanes: Sequence[Lane], units: Units) -> list[Call]:
    """Everything that is to be decided, the most pressing kinds first."""
    found: list[Call] = []
    for lane in lanes:
        if lane.cooking:
            found += [
                *_done(lane, units),
                *_wrap(lane, units),
                *_spritz(lane),
                *_look(lane, units),
                *_rotate(lane, units),
            ]
        elif lane.pulled_min is not None and lane.at("rest-end", "cut") is None:
            found += _rest(lane, units)
    found += _apart(lanes, units)
    return sorted(found, key=lambda call: (ORDER.index(call.kind), call.letter))


def asked_once(departures: Sequence[tuple[str, str, str, str]]) -> list[Call]:
    """Where the cook left its protocol: asked about once, each by letter, row, what was planned, what was done."""
    out = []
    for letter, row, planned, was in departures:
        ask = f"{letter} left the plan: {row} {was}, planned {planned[:1].lower() + planned[1:]}. Was that meant?"
        effect = ROW[row].effect if row in ROW else ""
        key = f"departure {letter} {row}"
        out.append(
            Call(key, "departure", letter, ask, "it stands in the ledger either way", "keep to the plan", effect)
        )
    return out


def _last_look(lane: Lane) -> Seen | None:
    return max(lane.looks, key=lambda look: look.at_min, default=None)


def _bark(lane: Lane) -> str:
    """The bark as last seen, when that was not long ago."""
    seen = [look for look in lane.looks if look.bark and lane.now_min - look.at_min <= LOOK_GOOD_MIN]
    return max(seen, key=lambda look: look.at_min).bark if seen else ""


def effects(told: Told | None) -> str:
    """What each course would do to the finish, against going on as it is."""
    if told is None or not told.options or told.options[0][1] is None:
        return ""
    base = told.options[0][1]
    parts = []
    for name, minutes in told.options[1:]:
        if minutes is None:
            parts.append(f"{name}: not done at all")
        elif abs(minutes - base) >= 3:
            width = told.give_or_take.get(name)
            doubt = f", give or take {span_words(width)}" if width is not None else ""
            parts.append(f"{name}: {span_words(abs(minutes - base))} {'later' if minutes > base else 'sooner'}{doubt}")
        else:
            parts.append(f"{name}: no different")
    return "; ".join(parts)


# ---- wrap -----------------------------------------------------------------------------------------------


def _wrap(lane: Lane, units: Units) -> Iterator[Call]:
    plan = lane.plan
    if plan.wrap_rule == WrapRule.NEVER or lane.wrapped or lane.at("unwrap") is not None:
        return
    school = term(WrapRule, plan.wrap_rule)
    reason = _wrap_reason(lane, units)
    what = term(WrapIn, plan.wrap_in).lower()
    effect = effects(lane.told)
    if reason:
        yield Call(
            f"wrap {lane.letter}",
            "wrap",
            lane.letter,
            f"Wrap {lane.letter} in {what}?",
            reason,
            school,
            effect,
            f"wrap:{plan.wrap_in}",
        )
    elif plan.wrap_rule in (WrapRule.BARK, WrapRule.STALL_AND_BARK) and not _bark(lane) and _stalled_or_warm(lane):
        why = "the stall has begun" if lane.stalls else "it is warm enough for the bark to set"
        ask = f"Look at the bark of {lane.letter}: set, tacky or wet?"
        yield Call(
            f"bark {lane.letter} {lane.now_min // 45:.0f}",
            "bark",
            lane.letter,
            ask,
            why,
            school,
            look_cost(lane, units),
            "look",
        )


def _stalled_or_warm(lane: Lane) -> bool:
    return bool(lane.stalls) or (lane.coldest_c or 0) >= 63


def _wrap_reason(lane: Lane, units: Units) -> str:
    """Why the arm's own rule says wrap now; empty when it does not."""
    plan, cold = lane.plan, lane.coldest_c
    stall = bool(lane.stalls)
    set_now = _bark(lane) == "set"
    match plan.wrap_rule:
        case WrapRule.TEMPERATURE:
            if plan.wrap_at_c is not None and cold is not None and cold >= plan.wrap_at_c:
                return f"inside is {units.temp_text(cold)}, the rule {units.temp_text(plan.wrap_at_c)}"
        case WrapRule.CLOCK:
            if plan.wrap_at_min is not None and lane.now_min >= plan.wrap_at_min - WRAP_SOON_MIN:
                return f"it has been on for {span_words(lane.now_min)}, the rule {span_words(plan.wrap_at_min)}"
        case WrapRule.BARK:
            if set_now:
                return "the bark was set at the last look"
        case WrapRule.STALL:
            if stall:
                return f"the stall began at {units.temp_text(lane.stalls[-1].temp_c)}"
        case WrapRule.STALL_AND_BARK:
            if stall and set_now:
                return "the stall has begun and the bark is set"
    return ""


# ---- spritz, look, rotate --------------------------------------------------------------------------------


def _spritz(lane: Lane) -> Iterator[Call]:
    every = lane.plan.spritz_every_min
    if not every or lane.wrapped or lane.now_min < FIRST_LOOK_MIN:
        return
    last = lane.last("spritz")
    since = lane.now_min - (last if last is not None else FIRST_LOOK_MIN - every)
    if since < every:
        return
    wet = _bark(lane) == "wet"
    ask = f"Spritz {lane.letter}?"
    reason = f"{span_words(since)} since the last" if last is not None else "none yet"
    if wet:
        reason += "; but the surface was wet at the last look, so it needs none"
    key = f"spritz {lane.letter} {lane.now_min // every:.0f}"
    school = "only when dry"
    yield Call(
        key,
        "spritz",
        lane.letter,
        ask,
        reason,
        school,
        "keeps the surface tacky for smoke and cools it; costs a lid",
        "spritz",
    )


def look_cost(lane: Lane, units: Units) -> str:
    """What opening the lid costs."""
    return (
        f"a lid open for two minutes dips such a pit by some {units.step_text(0.78 * lane.lid_drop_c)} and takes about "
        f"{span_words(lane.recovery_min * 2)} to come back"
    )


def _look(lane: Lane, units: Units) -> Iterator[Call]:
    if lane.wrapped or lane.now_min < FIRST_LOOK_MIN:
        return
    seen = [look.at_min for look in lane.looks] + [m.at_min for m in lane.marks if m.kind in ("look", "lid", "spritz")]
    since = lane.now_min - max(seen, default=0.0)
    if since < LOOK_EVERY_MIN:
        return
    reason = f"nobody has looked for {span_words(since)}" if seen else "it has been left alone long enough"
    key = f"look {lane.letter} {lane.now_min // LOOK_EVERY_MIN:.0f}"
    yield Call(
        key,
        "look",
        lane.letter,
        f"Look at {lane.letter}?",
        reason,
        "leave it alone, two to four hours, then look",
        look_cost(lane, units),
        "look",
    )


def _rotate(lane: Lane, units: Units) -> Iterator[Call]:
    temps = [(s.place, s.last_c) for s in lane.fresh if s.last_c is not None]
    look = _last_look(lane)
    if look is not None and lane.now_min - look.at_min <= LOOK_GOOD_MIN:
        temps += [(spot.place, spot.temp_c) for spot in look.spots if spot.temp_c is not None]
    if (
        len(temps) < 2
        or lane.now_min < 60
        or (lane.last("turn", "move") is not None and lane.now_min - (lane.last("turn", "move") or 0) < 60)
    ):
        return
    low, high = min(temps, key=lambda t: t[1]), max(temps, key=lambda t: t[1])
    if high[1] - low[1] < ROTATE_C:
        return
    reason = f"{high[0]} is {units.step_text(high[1] - low[1])} ahead of {low[0]}"
    key = f"rotate {lane.letter} {lane.now_min // 90:.0f}"
    yield Call(
        key,
        "rotate",
        lane.letter,
        f"Turn {lane.letter}, the {low[0]} toward the heat?",
        reason,
        "even up what lags",
        "a lid, and more even meat; turn the other arms too, or it is a departure",
        "turn",
    )


# ---- done, rest ------------------------------------------------------------------------------------------


def _done(lane: Lane, units: Units) -> Iterator[Call]:
    plan = lane.plan
    school = term(DoneRule, plan.done_rule)
    if plan.done_rule == DoneRule.TIME:
        if plan.done_at_min is not None and lane.now_min >= plan.done_at_min - 5:
            reason = f"it has had {span_words(lane.now_min)} of {span_words(plan.done_at_min)}"
            yield _pull(lane, reason, units)
        return
    cold = lane.coldest_c
    if plan.done_at_c is None or cold is None or cold < plan.done_at_c - BAND_C:
        return
    look = _last_look(lane)
    felt = [s for s in look.spots if s.feel] if look is not None and lane.now_min - look.at_min <= 30 else []
    firm = [s.place for s in felt if s.feel != "no-drag"]
    inside = f"inside is {units.temp_text(cold)}, the band opens at {units.temp_text(plan.done_at_c - BAND_C)}"
    if (plan.done_rule == DoneRule.TEMPERATURE and cold >= plan.done_at_c) or (felt and not firm):
        reason = inside if not felt else f"no drag at {', '.join(s.place for s in felt)}; {inside}"
        yield _pull(lane, reason, units)
    elif felt:
        lags = f"{', '.join(firm)} still drags"
        rate = max((s.rate(lane.now_min) or 0.0 for s in lane.fresh), default=0.0)
        more = (
            f"some {span_words(60 * 3 / rate)} for 3 °C (5 °F) more"
            if rate > 1
            else "it rises slowly; try again in half an hour"
        )
        key = f"done {lane.letter} {lane.now_min // 20:.0f}"
        yield Call(
            key,
            "done",
            lane.letter,
            f"{lane.letter} is not done: probe again?",
            f"{lags}; {inside}",
            school,
            more,
            "look",
        )
    else:
        key = f"done {lane.letter} {lane.now_min // 30:.0f}"
        yield Call(
            key,
            "done",
            lane.letter,
            f"Probe {lane.letter} at several places: done?",
            inside,
            school,
            "thin ends are done before thick ones",
            "look",
        )


def _pull(lane: Lane, reason: str, units: Units) -> Call:
    school = term(DoneRule, lane.plan.done_rule)
    ask = f"Pull {lane.letter}?"
    return Call(f"pull {lane.letter}", "pull", lane.letter, ask, reason, school, _carry(lane, units), "pull")


def _carry(lane: Lane, units: Units) -> str:
    peak = lane.told.peak_c if lane.told is not None else None
    if peak is None:
        return "carry-over goes on after the pull; a wrapped piece rises 3 to 6 °C (5 to 10 °F)"
    return f"carry-over will take it to about {units.temp_text(peak)}"


def _rest(lane: Lane, units: Units) -> Iterator[Call]:
    assert lane.pulled_min is not None
    rested = lane.now_min - lane.pulled_min
    wish = lane.plan.rest_min or 0.0
    hot = lane.told.hot_until_min if lane.told is not None else None
    safe = (
        f"it stays above 57 °C (135 °F) for about {span_words(hot)} after the pull"
        if hot is not None
        else "keep it above 60 °C (140 °F)"
    )
    if hot is not None and rested > hot:
        safe = (
            "by the twin it is no longer hot enough to hold: a limit of hours has begun; your local food code decides"
        )
    if rested < wish and (hot is None or rested <= hot):
        return
    reason = f"it has rested {span_words(rested)}, the plan says {span_words(wish)}"
    key = f"rest {lane.letter} {'cold' if hot is not None and rested > hot else 'whole'}"
    yield Call(key, "rest", lane.letter, f"Cut {lane.letter}?", reason, "rest as long for all arms", safe, "rest-end")


# ---- arms apart ------------------------------------------------------------------------------------------


def _apart(lanes: Sequence[Lane], units: Units) -> Iterator[Call]:
    """Arms that were to be done together and will not be: hold, raise or leave, and what each does to the trial."""
    known = []
    for lane in lanes:
        if lane.cooking and lane.told is not None and lane.told.done_min[1] is not None and lane.serve_min is not None:
            known.append((lane, lane.told.done_min[1] - lane.serve_min))
    if len(known) < 2:
        return
    (ahead, early), (behind, late) = min(known, key=lambda k: k[1]), max(known, key=lambda k: k[1])
    gap = late - early
    if gap < APART_MIN:
        return
    raised = _raised(behind.told)
    effect = (
        f"hold {ahead.letter} hot: the rests differ by {span_words(gap)}; raise {behind.letter}"
        f"{f' ({raised})' if raised else ''}: the pits differ; leave: they are tasted apart. Holding changes least"
    )
    key = f"apart {ahead.letter}{behind.letter} {gap // 30:.0f}"
    ask = f"{ahead.letter} is {span_words(gap)} ahead of {behind.letter}: hold, raise or leave?"
    reason = "by the twin, from both arms' readings so far"
    school = "finish together, so that they are tasted alike"
    yield Call(key, "apart", ahead.letter, ask, reason, school, effect)


def _raised(told: Told | None) -> str:
    """What a hotter pit would save, in words; empty when it is not told."""
    base = told.options[0][1] if told is not None and told.options else None
    if told is None or base is None:
        return ""
    saves = [
        (name, base - m) for name, m in told.options[1:] if name.startswith("pit to") and m is not None and m < base
    ]
    return f"{saves[0][0]}: {span_words(saves[0][1])} sooner" if saves else ""
