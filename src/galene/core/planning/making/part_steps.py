"""Each part's own steps: what is left of its treatment, done by hand, done again, taken back."""

from dataclasses import replace

from galene.core.airpath.natures import kind_is
from galene.core.planning import hand_steps
from galene.core.planning.case import Treatment
from galene.core.planning.chain import Link
from galene.core.planning.making.state import BY_HAND, PLAIN, Planning
from galene.core.planning.records import PartWork
from galene.core.planning.repeats import repeated
from galene.core.planning.words import Place


def link(planning: Planning) -> None:
    """The steps that are left of every treatment, merged where one go treats several parts."""
    groups: dict[str, list[Treatment]] = {}
    for treatment in planning.treatments:
        groups.setdefault(treatment.owner, []).append(treatment)
    planning.links = {}
    planning.owner_parts = {}
    for owner, group in groups.items():
        # One can for all that it reaches: its label affirms what any of these parts asks for.
        one = replace(
            group[0],
            tags=frozenset().union(*(t.tags for t in group)),
            label={word: holds for t in group for word, holds in t.label.items()},
        )
        parts = tuple(t.part for t in group)
        planning.owner_parts[owner] = parts
        whole = chain_of(planning, one, parts)
        planning.links[owner] = closers(planning, owner, one) + [
            x for x in whole if x.step.id not in planning.done_ids
        ]
    for part_id in planning.changes.left:
        back = closers(planning, part_id, None)
        if back:
            planning.links[part_id] = back
            planning.owner_parts[part_id] = (part_id,)


def chain_of(planning: Planning, treatment: Treatment, parts: tuple[str, ...]) -> list[Link]:
    place = planning.lies(treatment.part)
    alone = by_itself(planning, treatment, place)
    links = planning.known.chain(
        treatment,
        place="off" if alone else place,
        treats=parts if len(parts) > 1 else (),
    )
    if alone and links:
        links = by_hand(planning, links, treatment.part)
    return with_repeats(planning, links)


def by_itself(planning: Planning, treatment: Treatment, place: Place) -> bool:
    """A sensor that no operation takes off is taken out of its place by its own steps."""
    part = planning.family.part(treatment.part)
    # What an operation took off and has put back is not drawn out by hand afterwards.
    by_hand = part.id not in planning.worked_at or f"{part.id}:out" in planning.done_ids
    out_already = bool(planning.drawn(part.id))
    return (
        kind_is(part.component, *BY_HAND)
        and (out_already or (place == "mounted" and by_hand))
        and not treatment.procedure.in_place
        and treatment.work.work in ("clean", "replace")
    )


def by_hand(planning: Planning, links: list[Link], part_id: str) -> list[Link]:
    carrier = planning.carrier_off(part_id)
    first = hand_steps.taken_out(planning.family, part_id, carrier)
    last = hand_steps.put_back(planning.family, part_id, carrier)
    waits = tuple(x.step.wait.id for x in links if x.step.wait)
    out = Link(step=first, template=replace(PLAIN, key="out", place="clean"), after=())
    before = [x for x in links if x.template.place == "whole"]
    outer = [x for x in links if x.template.place in ("back", "walk", "drive")]
    inner = [x for x in links if x not in before and x not in outer]
    back = Link(
        step=replace(last, waits_for=waits),
        template=PLAIN,
        after=tuple(x.step.id for x in inner),
    )
    inner = [replace(x, after=(*x.after, first.id)) for x in inner]
    return [*before, out, *inner, back, *outer]


def with_repeats(planning: Planning, links: list[Link]) -> list[Link]:
    """The chain with what answers asked to be done once more."""
    found: list[Link] = []
    for i, link in enumerate(links):
        found.append(link)
        times = planning.changes.again.get(link.step.id, 0)
        block: list[Link] = []
        deeds = planning.changes.repeats.get(link.step.id, frozenset())
        for turn in range(2, times + 2):
            block += list(repeated(links, i, turn, deeds))
        found += block
        if block:
            last = block[-1].step.id
            links[i + 1 :] = [
                replace(x, after=(*x.after, last)) if link.step.id in x.after else x
                for x in links[i + 1 :]
            ]
    return found


def closers(planning: Planning, owner: str, now: Treatment | None) -> list[Link]:
    """Steps of the former treatment that take back what it opened and the present one would
    leave."""
    drawn = {i.id for i in planning.drawn(owner)}
    stripped = {i.id for d in planning.done if d.step.name == "strip" for i in d.step.opens}
    if now is None and drawn:
        back = hand_steps.put_back(planning.family, owner, planning.carrier_off(owner))
        return [Link(step=back, template=PLAIN, after=())]
    mine = {i.id for i in planning.car.open.values() if i.owner == owner and not i.mouth}
    mine -= drawn | stripped
    if not mine:
        return []
    parts = [w for w in planning.case.works if planning.family.part(w.part).id == owner]
    closing: set[str] = set()
    if now:
        links = planning.known.chain(now, place=planning.lies(owner))
        closing = {c for x in links for c in x.step.closes if x.step.id not in planning.done_ids}
    left = sorted(mine - closing)
    if not left:
        return []
    work = parts[0] if parts else PartWork(part=owner)
    former = planning.trade.treat(
        replace(work, part=owner),
        off=planning.car.place_of(owner) in ("off", "loose"),
        opened=True,
    )
    found: list[Link] = []
    for link in planning.known.chain(former, place=planning.lies(owner)):
        if set(link.step.closes) & set(left) and link.step.id not in planning.done_ids:
            found.append(replace(link, after=tuple(x.step.id for x in found[-1:])))
            left = [i for i in left if i not in link.step.closes]
    for item in left:
        step = hand_steps.taken_back(planning.car.open[item], owner)
        found.append(
            Link(
                step=step,
                template=PLAIN,
                after=tuple(x.step.id for x in found[-1:]),
            )
        )
    return found
