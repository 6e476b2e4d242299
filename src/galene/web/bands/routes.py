"""Known-good bands of a family: what they are made of, samples set aside, taken in and out."""

import json
import re

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.calculations.metrics import METRICS
from galene.core.errors import InputError
from galene.jobs import bands
from galene.jobs.act import Act, family_in
from galene.jobs.errors import Invalid, Missing
from galene.jobs.families import current_version
from galene.web.bands.drawing import drawing_of
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def page(
    visit: Visit, family_id: str, *, status: int = 200, entered: Form | None = None, **extra: object
) -> HTMLResponse:
    """All bands of a family with their samples."""
    version = current_version(visit.db, family_id)
    if version is None:
        raise Missing(f"engine family {family_id[:20]}")
    family = family_in(version)
    stories = bands.stories_of(visit.db, family)
    return visit.page(
        "bands.html",
        status,
        family=family,
        stories=stories,
        drawings={s.metric: drawing_of(s, visit.shop.system) for s in stories},
        metrics=METRICS,
        entered=entered,
        place="reference",
        **extra,
    )


@router.get("/reference/families/{family_id}/bands")
def show(visit: Signed, family_id: str) -> HTMLResponse:
    return page(visit, family_id)


@router.get("/reference/families/{family_id}/bands/file")
def download(visit: Signed, family_id: str) -> Response:
    """The counted samples as JSON."""
    if current_version(visit.db, family_id) is None:
        raise Missing(f"engine family {family_id[:20]}")
    document = bands.exported(visit.db, family_id, visit.shop.name)
    name = re.sub(r"[^A-Za-z0-9-]", "", family_id) or "family"
    return Response(
        json.dumps(document, ensure_ascii=False, indent=1),
        media_type="application/json",
        headers={"content-disposition": f'attachment; filename="bands-{name}.json"'},
    )


@router.post("/reference/families/{family_id}/bands/take-in")
def take_in(visit: Signed, family_id: str, form: SentFile) -> Response:
    """Samples of another workshop."""

    def write(act: Act) -> None:
        try:
            if not form.file:
                raise InputError("file", "nothing", "a JSON document of samples")
            bands.take_in(act, family_id, form.file.decode("utf-8"))
        except InputError as fault:
            words = f"{fault.field}: {str(fault.value)[:60]!r}. Wanted: {fault.allowed[:200]}."
            raise Invalid({"file": words}) from fault
        except UnicodeDecodeError as fault:
            raise Invalid({"file": "That is no text."}) from fault

    return visit.submit(
        form,
        write,
        to=f"/reference/families/{family_id}/bands",
        shown=lambda faults: page(visit, family_id, status=422, entered=form, faults=faults),
    )


@router.post("/reference/families/{family_id}/bands/{sample}")
def aside(visit: Signed, family_id: str, sample: int, *, form: Sent) -> Response:
    """Set a sample aside with a reason, or count it again."""

    def write(act: Act) -> None:
        why = form.text("why")
        if not why.strip() and form.text("again") != "yes":
            raise Invalid({f"why:{sample}": "Say why it is left out."})
        bands.set_aside(act, family_id, sample, why="" if form.text("again") == "yes" else why)

    return visit.submit(
        form,
        write,
        to=f"/reference/families/{family_id}/bands",
        shown=lambda faults: page(visit, family_id, status=422, entered=form, faults=faults),
    )
