"""The mouths and parts of a car that a template names from its own part."""

from collections.abc import Sequence

from galene.core.airpath.family import EngineFamily, Part
from galene.core.planning.marks import mouth_of
from galene.core.planning.openings import carrier_of


def mouths_through(
    family: EngineFamily,
    part: Part,
    words: Sequence[str],
    *,
    on_bench: bool,
    cylinder: int | None,
) -> tuple[str, ...]:
    """The mouths that a template's `through` names at a part of a car; see `marks.THROUGH`.

    Parameters
    ----------
    on_bench : whether the part lies on the bench, where nothing but itself is gone through
    cylinder : the one whose step it is, None where it is of all
    """
    found: list[str] = []
    joined = [p for p in family.pipes if part.id in (p.source, p.target)]
    others = [p.source if p.target == part.id else p.target for p in joined]
    seated = [t.sensor for t in family.taps if t.on == part.id]
    for word in words:
        if word in ("own", "ways"):
            found += [mouth_of(part.id, o) for o in (*others, *seated)]
        if word == "ways" and not on_bench:
            near = {carrier_of(family, part.id), *(p.target for p in joined)} - {"", part.id}
            found += [
                mouth_of(p.target, p.source)
                for p in family.pipes
                if p.target in near and p.circuit == "main"
            ]
        if word == "upstream":
            found += [mouth_of(p.source, part.id) for p in joined if p.target == part.id]
        if word == "port":
            found += [mouth_of(t.on, part.id) for t in family.taps if t.sensor == part.id and t.on]
        if word == "each":
            every = range(1, family.cylinders + 1) if cylinder is None else (cylinder,)
            found += [mouth_of(part.id, n) for n in every]
    return tuple(dict.fromkeys(found))


def parts_named(
    family: EngineFamily, part: Part, words: Sequence[str], *, on_bench: bool
) -> tuple[str, ...]:
    """The parts and ports that a template names from its own; see `marks.TOUCHED`."""
    found: list[str] = []
    for word in words:
        if word == "own":
            found.append(part.id)
        elif word == "carrier":
            found.append(carrier_of(family, part.id))
        elif word == "port":
            found += [mouth_of(t.on, part.id) for t in family.taps if t.sensor == part.id and t.on]
        elif not on_bench:
            for pipe in family.pipes:
                if word == "downstream" and pipe.source == part.id:
                    found.append(pipe.target)
                if word == "upstream" and pipe.target == part.id:
                    found.append(pipe.source)
    return tuple(dict.fromkeys(f for f in found if f))
