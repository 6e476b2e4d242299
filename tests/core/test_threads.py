"""Every fastener of every family against the thread under its head, and the bolts that operations
turn."""

from dataclasses import replace

import pytest

from galene.core.airpath.faults import family_faults
from galene.core.airpath.threads import HEADS, THREADS, most_torque_nm
from galene.core.planning.openings import fasteners_undone, lifting
from galene.knowledge.families import FAMILIES, VOCABULARY


def test_no_fastener_is_told_tighter_than_its_thread_bears() -> None:
    judged = 0
    for family in FAMILIES.values():
        for fastener in family.all_fasteners:
            most = most_torque_nm(fastener)
            if most is None or fastener.torque_nm is None:
                continue
            judged += 1
            assert fastener.torque_nm <= most, (family.id, fastener)
            assert fastener.torque_nm >= 0.1 * most, (
                family.id,
                fastener,
                "a torque that holds nothing",
            )
    assert judged >= 30


def test_the_table_is_that_of_its_source() -> None:
    # F * d * 0.2 as a hand check: M6 8.8 at 9.9 kN gives about 11.9 N m, M8 at 18 kN about 28.8.
    assert THREADS["M6"].class_8_8_nm == pytest.approx(0.2 * 9.9 * 6, rel=0.08)
    assert THREADS["M8"].class_8_8_nm == pytest.approx(0.2 * 18.1 * 8, rel=0.08)
    for thread in THREADS.values():
        assert thread.class_10_9_nm == pytest.approx(thread.class_8_8_nm * 1.46, rel=0.02)
    assert set(HEADS.values()) <= set(THREADS)


def test_an_own_family_whose_bolt_would_snap_is_refused_by_name() -> None:
    family = FAMILIES["B"]
    i, bolt = next((i, f) for i, f in enumerate(family.fasteners) if f.driver == "10 mm socket")
    tight = replace(bolt, torque_nm=20.0)
    wrong = replace(family, fasteners=(*family.fasteners[:i], tight, *family.fasteners[i + 1 :]))
    found = family_faults(wrong, VOCABULARY)
    assert [f.place for f in found] == [f"fasteners[{i}].torque_nm"] and "11.3 N m" in found[0].text


def test_what_an_operation_opens_is_counted_as_its_fasteners_are() -> None:
    for family in FAMILIES.values():
        for operation in family.operations:
            name = f"{family.id} {operation.id}"
            fasteners = fasteners_undone(family, operation)
            sets = [o for o in operation.opens if o.kind == "fastener set"]
            clamps = [
                o for o in operation.opens if o.kind == "clamp" and "off its ball" not in o.what
            ]
            held = sum(o.count for o in (*sets, *clamps))
            known = sum(
                f.count for f in fasteners if "clip" in f.what or f.driver != "fingers" or sets
            )
            if held:
                assert held == known, (name, held, fasteners)


def test_what_turns_a_fastener_is_among_the_tools() -> None:
    for family in FAMILIES.values():
        for operation in family.operations:
            drivers = {f.driver for f in fasteners_undone(family, operation)} - {"fingers"}
            sockets = {
                t for t in operation.tools if "socket" in t or "driver" in t or "spanner" in t
            }
            assert drivers <= set(operation.tools), (family.id, operation.id, drivers)
            assert sockets <= drivers, (family.id, operation.id, "a tool that turns nothing")


def test_a_cover_a_tray_and_a_shield_say_what_holds_them_and_where() -> None:
    for family in FAMILIES.values():
        for operation in family.operations:
            assert all(f.place for f in operation.own), (family.id, operation.id)
            if any(o.kind == "cover" for o in operation.opens) and not lifting(family, operation):
                assert operation.own, (family.id, operation.id)
