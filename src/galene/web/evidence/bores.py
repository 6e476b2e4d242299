"""The bore gauge: on a part of a job, and as a worksheet."""

from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.airpath.natures import kind_is
from galene.core.calculations.bore_restriction import BoreInput, BoreResult, bore_restriction
from galene.core.errors import InputError
from galene.core.jobcard.job_records import KeptBore
from galene.core.units import QUANTITIES, convert, in_system
from galene.jobs import evidence
from galene.jobs.act import Act, family_of, revision
from galene.store.models import Inspection, Job
from galene.web.evidence import gauge
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
POINTS = (4, 6, 8, 12, 16, 24)
START_POINTS, START_BORE_MM = 8, 46.0


def _read(form: Form) -> list[evidence.MeasuredBore]:
    """Bores as sent, in mm; faults are gathered by field."""
    unit = form.text("length_unit") or in_system(QUANTITIES["length"], form.system).id
    points = min(72, len(form.texts("thickness.0"))) or START_POINTS
    found = []
    for k, name in enumerate(form.texts("bore_name")[:16]):
        bore = form.quantity(
            f"bore.{k}", "length", f"{name}, bore", text=_with(form.text(f"bore.{k}"), unit)
        )
        if bore is None:
            form.faults.setdefault(f"bore.{k}", f"{name}: enter the clean bore.")
        typed = form.texts(f"thickness.{k}")
        row = []
        for i in range(points):
            text = typed[i] if i < len(typed) else ""
            value = (
                form.quantity(
                    f"thickness.{k}.{i}",
                    "length",
                    f"{name}, {gauge.clock_word(i, points)} o'clock",
                    text=_with(text, unit),
                )
                if text.strip()
                else 0.0
            )
            row.append(0.0 if value is None else value)
        found.append(
            evidence.MeasuredBore(name.strip()[:40] or f"{k + 1}", bore or 0.0, tuple(row))
        )
    return found


def _with(text: str, unit: str) -> str:
    """A bare number with the table's unit; what was typed with a unit of its own stays."""
    return (
        text
        if not text.strip() or any(c.isalpha() for c in text.strip().lstrip("eE"))
        else f"{text.strip()} {unit}"
    )


def _resample(bores: list[evidence.MeasuredBore], points: int) -> list[evidence.MeasuredBore]:
    """The same edge with another number of points, linear in angle between the old ones."""
    if all(len(b.thickness_mm) == points for b in bores):
        return bores
    found = []
    for bore in bores:
        old = bore.thickness_mm
        row = []
        for i in range(points):
            at = i / points * len(old)
            low = int(at)
            row.append(
                round(
                    old[low % len(old)] * (1 - at + low) + old[(low + 1) % len(old)] * (at - low), 3
                )
            )
        found.append(evidence.MeasuredBore(bore.name, bore.bore_mm, tuple(row)))
    return found


def _shown(value: float, unit: str) -> str:
    quantity = QUANTITIES["length"]
    return f"{convert(quantity, value, quantity.kept.id, target=unit):.4g}"


def _judged(bores: list[evidence.MeasuredBore], faults: dict[str, str]) -> list[BoreResult | None]:
    results: list[BoreResult | None] = []
    for k, bore in enumerate(bores):
        try:
            results.append(bore_restriction(BoreInput(bore.bore_mm, list(bore.thickness_mm))))
        except InputError as fault:
            results.append(None)
            faults.setdefault(evidence.bore_field(k, fault.field), f"{bore.name}: {fault.allowed}.")
    return results


def _context(
    visit: Visit,
    bores: list[evidence.MeasuredBore],
    before: Sequence[KeptBore],
    *,
    form: Form | None,
    faults: dict[str, str],
) -> dict[str, Any]:
    unit = (form.text("length_unit") if form else "") or in_system(
        QUANTITIES["length"], visit.shop.system
    ).id
    results = _judged(bores, faults)
    earlier = {b.name: (b.bore_mm, b.thickness_mm) for b in before}
    known = [(k, r) for k, r in enumerate(results) if r is not None]
    worst = min(known, key=lambda r: r[1].open_area_percent)[0] if known else None
    drawn = [
        gauge.drawn(
            b.name,
            b.bore_mm if r else 1.0,
            b.thickness_mm if r else [0.0] * len(b.thickness_mm),
            before_mm=earlier.get(b.name),
        )
        for b, r in zip(bores, results, strict=True)
    ]
    return {
        "bores": bores,
        "drawn": drawn,
        "results": results,
        "worst": worst,
        "points": len(bores[0].thickness_mm) if bores else START_POINTS,
        "point_choices": POINTS,
        "length_unit": unit,
        "length_units": [u.id for u in QUANTITIES["length"].units],
        "shown": _shown,
        "faults": faults,
        "earlier": before,
        "entered": form,
        "clock_word": gauge.clock_word,
    }


def _look(job: Job, part: str, phase: str) -> Inspection | None:
    return next((k for k in job.looks if k.part == part and k.phase == phase), None)


def _start(
    job: Job, part_id: str, look: Inspection | None, *, before: Inspection | None, cylinders: int
) -> list[evidence.MeasuredBore]:
    """What the gauge opens with: what is kept, else the earlier bores clean, else clean bores of
    the family."""
    if look is not None and look.bores:
        return [evidence.MeasuredBore(b.name, b.bore_mm, b.thickness_mm) for b in look.bores]
    if before is not None and before.bores:
        return [
            evidence.MeasuredBore(b.name, b.bore_mm, tuple(0.0 for _ in b.thickness_mm))
            for b in before.bores
        ]
    part = family_of(job).part(part_id)
    names = (
        [f"cylinder {n + 1}" for n in range(cylinders)]
        if kind_is(part.component, "ports")
        else [part.label]
    )
    return [
        evidence.MeasuredBore(n, part.bore_mm or START_BORE_MM, (0.0,) * START_POINTS)
        for n in names
    ]


def page(
    visit: Visit,
    job: Job,
    part_id: str,
    *,
    phase: str,
    status: int = 200,
    form: Form | None = None,
    faults: dict[str, str] | None = None,
) -> HTMLResponse:
    family = family_of(job)
    part = family.part(part_id)
    look, before = _look(job, part.id, phase), _look(job, part.id, "before")
    bores = (
        _read(form)
        if form
        else _start(
            job,
            part.id,
            look,
            before=before if phase == "after" else None,
            cylinders=family.cylinders,
        )
    )
    context = _context(
        visit,
        bores,
        before.bores if phase == "after" and before else (),
        form=form,
        faults=dict(faults or (form.faults if form else {})),
    )
    return visit.page(
        "bores.html",
        status,
        job=job,
        stage="work" if phase == "after" else "evidence",
        family=family,
        part=part,
        phase=phase,
        look=look,
        seen=revision(job, f"bores {phase} {part.id}"),
        action=f"/jobs/{job.number}/bores/{part.id}",
        save=True,
        **context,
    )


@router.get("/jobs/{number}/bores/{part}")
def show(visit: Signed, number: str, part: str, *, phase: str = "before") -> HTMLResponse:
    return page(
        visit, visit.job(number), part, phase=phase if phase in ("before", "after") else "before"
    )


@router.post("/jobs/{number}/bores/{part}")
def save(visit: Signed, number: str, part: str, *, form: Sent) -> Response:
    phase = form.text("phase")
    bores = _read(form)
    if form.text("resample"):
        return _reshaped(visit, form, bores, job=visit.job(number), part=part)
    location = f"/jobs/{number}/bores/{part}?phase={phase}"

    def write(act: Act) -> None:
        evidence.save_bores(
            act,
            number,
            phase,
            part_id=part,
            bores=bores,
            deposit=form.text("deposit"),
            note=form.text("note"),
            seen=form.integer("seen"),
        )

    return visit.submit(
        form,
        write,
        to=location,
        shown=lambda faults: page(
            visit, visit.job(number), part, phase=phase, status=422, form=form, faults=faults
        ),
    )


def _reshaped(
    visit: Visit, form: Form, bores: list[evidence.MeasuredBore], *, job: Job | None, part: str
) -> HTMLResponse:
    """The gauge with another number of points or one more bore; nothing is saved."""
    wanted = form.integer("points", START_POINTS)
    if wanted in POINTS:
        bores = _resample(bores, wanted)
    if form.text("more") == "1" and len(bores) < 16:
        last = bores[-1]
        bores = [
            *bores,
            evidence.MeasuredBore(
                f"{len(bores) + 1}", last.bore_mm, tuple(0.0 for _ in last.thickness_mm)
            ),
        ]
    before: Sequence[KeptBore] = ()
    if job is not None and form.text("phase") == "after":
        look = _look(job, part, "before")
        before = look.bores if look else ()
    context = _context(visit, bores, before, form=form, faults=dict(form.faults))
    action = f"/jobs/{job.number}/bores/{part}" if job else "/worksheets/bore-restriction"
    return visit.page("_gauge_form.html", action=action, save=job is not None, **context)


@router.post("/jobs/{number}/bores/{part}/live")
def live(visit: Signed, number: str, part: str, *, form: Sent) -> HTMLResponse:
    return visit.page(
        "_gauge_verdict.html",
        **_context(visit, _read(form), [], form=form, faults=dict(form.faults)),
    )


@router.get("/worksheets/bore-restriction")
def worksheet(visit: Signed) -> HTMLResponse:
    thickness = (2.0, 2.5, 3.5, 4.5, 5.0, 5.5, 6.0, 5.5, 4.5, 3.5, 2.5, 2.0)
    bores = [evidence.MeasuredBore("bore", START_BORE_MM, thickness)]
    return visit.page(
        "bores_worksheet.html",
        place="worksheets",
        action="/worksheets/bore-restriction",
        save=False,
        **_context(visit, bores, [], form=None, faults={}),
    )


@router.post("/worksheets/bore-restriction")
def worksheet_shape(visit: Signed, form: Sent) -> HTMLResponse:
    return _reshaped(visit, form, _read(form), job=None, part="")


@router.post("/worksheets/bore-restriction/live")
def worksheet_live(visit: Signed, form: Sent) -> HTMLResponse:
    return visit.page(
        "_gauge_verdict.html",
        **_context(visit, _read(form), [], form=form, faults=dict(form.faults)),
    )
