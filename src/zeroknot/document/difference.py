"""What is other in one value than in an earlier one? Kept after each edit instead of a tree.

Conventions
-----------
- A difference is JSON: `set` holds fields that are other, whole; `within` holds differences of
  values that are parts.
- Parts with ids are told apart by them: `set` holds those that are new, `within` those that are
  other, `gone` the ids of those that are not there any more. New ones stand behind the rest in the
  order of `set`; where they do not, `order` holds all ids.
- What lies in the dump of the earlier value and in the difference is all that is needed: how an
  edit is applied may change, what it once made stays.
"""

from typing import Any

from zeroknot.document.value import Named, Value

Json = dict[str, Any]


def difference(old: Value, new: Value) -> Json:
    """What makes the dump of `new` from the dump of `old`, values of one type; {} for equals."""
    whole: Json = {}
    within: Json = {}
    for name in type(new).model_fields:
        then, now = getattr(old, name), getattr(new, name)
        if then is now:
            continue
        if _are_named(then, now):
            if inner := _of_named(then, now):
                within[name] = inner
        elif isinstance(then, Value) and type(then) is type(now):
            if inner := difference(then, now):
                within[name] = inner
        elif then != now:
            whole[name] = new.model_dump(mode="json", include={name})[name]
    return _said(set=whole, within=within)


def with_difference(dump: Json, change: Json) -> Json:
    """The dump of the later value; the one that is given stays as it is."""
    later = {**dump, **change.get("set", {})}
    for name, inner in change.get("within", {}).items():
        part = dump[name]
        later[name] = (
            _named_with(part, inner) if isinstance(part, list) else with_difference(part, inner)
        )
    return later


def _are_named(then: object, now: object) -> bool:
    """Are these lists of parts with ids? They hold nothing else then."""
    if not isinstance(then, tuple) or not isinstance(now, tuple):
        return False
    return all(isinstance(parts[0], Named) for parts in (then, now) if parts)


def _of_named(then: tuple[Named, ...], now: tuple[Named, ...]) -> Json:
    before = {part.id: part for part in then}
    after = {part.id: part for part in now}
    fresh, within = {}, {}
    for id_, part in after.items():
        earlier = before.get(id_)
        if earlier is None or type(earlier) is not type(part):
            fresh[id_] = part.model_dump(mode="json")
        elif earlier is not part and (inner := difference(earlier, part)):
            within[id_] = inner
    gone = [id_ for id_ in before if id_ not in after]
    order = list(after)
    expected = [*(id_ for id_ in before if id_ in after), *fresh]
    return _said(set=fresh, within=within, gone=gone, order=order if order != expected else [])


def _named_with(dump: list[Json], change: Json) -> list[Json]:
    gone, within = set(change.get("gone", ())), change.get("within", {})
    parts = {
        part["id"]: with_difference(part, within[part["id"]]) if part["id"] in within else part
        for part in dump
        if part["id"] not in gone
    }
    parts |= change.get("set", {})
    return [parts[id_] for id_ in change.get("order") or parts]


def _said(**parts: Any) -> Json:
    return {name: part for name, part in parts.items() if part}
