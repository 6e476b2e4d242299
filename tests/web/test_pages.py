"""Every page answers, says what it must, and is built by the rules."""

import io
import re
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from pypdf import PdfReader
from sqlalchemy.orm import Session

from galene.core.calculations.catalogue import every as every_calculation
from galene.jobs.act import find_job
from galene.knowledge.policy import DEFAULT_POLICY
from galene.web.worksheets.routes import SHEETS
from tests.web.conftest import Browser

ROOT = Path(__file__).resolve().parents[2]
TEMPLATES = sorted((ROOT / "src/galene/web").rglob("*.html"))
STAGES = ("intake", "evidence", "diagnosis", "plan", "work", "prove", "handover")


@pytest.mark.parametrize("system", ["metric", "imperial"])
def test_every_page_of_every_job_answers(
    as_person: Callable[[str], Browser], numbers: dict[str, str], system: str
) -> None:
    web = as_person("maren")
    settings = {
        "system": system,
        "workshop": "Shed",
        "currency": "mk",
        "bays": "slip bay, yard bay",
        "hourly_rate": "72",
        "off_road_per_day": "180",
        "altitude": "12",
        "temperature": "14",
        "humidity": "68",
        "seen": "1",
    }
    schools = {f"school_{letter}": choice for letter, choice in DEFAULT_POLICY.items()}
    units = {"altitude_unit": "m", "temperature_unit": "degC"}
    assert web.submit("/reference", {**settings, **schools, **units}).status_code == 303
    pages = [
        "/",
        "/jobs/new",
        "/jobs/new?plate=qn",
        "/jobs/new?add=1&plate=ZZ9",
        "/vehicles",
        "/vehicles/QN114",
        "/worksheets",
        "/reference",
        "/reference/families/A",
    ]
    pages += [
        f"/jobs/{n}/{s}" for n in numbers.values() for s in (*STAGES, "trace", "report", "pictures")
    ]
    pages += [f"/worksheets/{name}" for name in SHEETS]
    for page in pages:
        answer = web.get(page)
        assert answer.status_code == 200, f"{page}: {answer.text[:300]}"
        assert "<h1" in answer.text, page
    assert ("inHg" in web.get(f"/jobs/{numbers['prove']}/prove").text) and web.get(
        "/jobs/new"
    ).status_code == 200


def test_nobody_sees_anything_without_signing_in(visitor: Browser, numbers: dict[str, str]) -> None:
    for page in (
        "/",
        f"/jobs/{numbers['work']}/work",
        "/vehicles",
        "/reference",
        f"/jobs/{numbers['handover']}/report.pdf",
    ):
        answer = visitor.get(page, follow_redirects=False)
        assert answer.status_code == 303 and answer.headers["location"].startswith(
            f"/sign-in?back={page}"
        ), page
    tap = visitor.submit(f"/jobs/{numbers['work']}/tap", {"evidence": "rough_idle"})
    assert tap.status_code == 401 and "Sign in" in tap.text
    assert "do not fit" in visitor.submit("/sign-in", {"name": "odd", "password": "wrong"}).text


def test_signing_in_leads_back_but_never_off_the_site(visitor: Browser) -> None:
    for back, wanted in (
        ("/vehicles", "/vehicles"),
        ("https://elsewhere.example/", "/"),
        ("//elsewhere.example", "/"),
    ):
        answer = visitor.submit(
            "/sign-in", {"name": "odd", "password": "slipway-odd", "back": back}
        )
        assert answer.headers["location"] == wanted
    cookie = answer.headers["set-cookie"]
    assert "HttpOnly" in cookie and "SameSite=lax" in cookie


def test_signing_out_ends_the_session_on_the_server(web: Browser) -> None:
    kept = dict(web.cookies)
    web.submit("/sign-out")
    web.cookies.update(kept)
    assert web.get("/", follow_redirects=False).status_code == 303


def test_the_report_prints_as_one_readable_pdf(web: Browser, numbers: dict[str, str]) -> None:
    answer = web.get(f"/jobs/{numbers['handover']}/report.pdf")
    assert answer.headers["content-type"] == "application/pdf"
    text = " ".join(p.extract_text() for p in PdfReader(io.BytesIO(answer.content)).pages)
    for wanted in (
        "QN-114",
        "Proven",
        "Deposit round the throttle plate",
        "Maren Tolk",
        "Next look at",
        "Throttle opening at idle",
    ):
        assert wanted in " ".join(text.split()), wanted


def test_the_pdf_has_its_own_letters_tags_and_paper(web: Browser, numbers: dict[str, str]) -> None:
    path = f"/jobs/{numbers['handover']}/report.pdf"
    made = PdfReader(io.BytesIO(web.get(path).content))
    fonts = {
        str(font.get_object()["/BaseFont"])
        for page in made.pages
        for font in page["/Resources"]["/Font"].values()
    }
    # A sign that our letters lack, such as a tick, may come from elsewhere.
    assert sum("Atkinson" in name for name in fonts) >= 3, fonts
    root = made.trailer["/Root"]
    assert root["/MarkInfo"]["/Marked"] and root["/Lang"] and len(made.pages) <= 2
    assert made.pages[0].mediabox.width == pytest.approx(595, abs=1)
    letter = PdfReader(io.BytesIO(web.get(f"{path}?paper=letter").content))
    assert letter.pages[0].mediabox.width == pytest.approx(612, abs=1)
    assert web.get(f"{path}?paper=napkin").status_code == 404


def test_a_finished_job_offers_no_change(web: Browser, numbers: dict[str, str]) -> None:
    page = web.get(f"/jobs/{numbers['handover']}/handover").text
    assert "read-only" in page and "Open this job again" not in page
    assert "Sign and finish" not in page
    answer = web.submit(
        f"/jobs/{numbers['handover']}/enter/item", {"what": "plug", "kind": "connector"}
    )
    assert answer.status_code == 409 and "finished" in answer.text


def test_the_refused_start_lists_what_is_open(
    as_person: Callable[[str], Browser], numbers: dict[str, str]
) -> None:
    path = f"/jobs/{numbers['work']}/start"
    refused = as_person("odd").submit(path)
    assert (
        refused.status_code == 409
        and "Air meter connector" in refused.text
        and "Air meter drying" in refused.text
    )
    assert "override_reason" not in refused.text, "a technician is not offered the override"
    offered = as_person("maren").submit(path)
    assert offered.status_code == 409 and "override_reason" in offered.text


def test_worksheets_answer_each_figure(web: Browser) -> None:
    assert {*SHEETS, "bore-restriction"} == set(every_calculation()), (
        "the bore gauge has a page of its own"
    )
    fields = {
        "bore_mm": "58",
        "closed_angle_deg": "6",
        "idle_air_g_s": "2.6",
        "intake_kpa": "100.2",
        "intake_c": "24",
        "manifold_kpa": "33",
    }
    fields |= {"discharge_coefficient": "0.82", "deposit_mm": "0.04", "deposit_tolerance_mm": "0"}
    good = web.submit("/worksheets/idle-gap", fields)
    assert "0.84" in good.text and "<svg" in good.text and "<html" not in good.text
    inches = web.submit(
        "/worksheets/idle-gap", {**fields, "bore_mm": "2.28346", "bore_mm_unit": "in"}
    )
    assert "0.84" in inches.text
    bad = web.submit("/worksheets/idle-gap", {**fields, "manifold_kpa": "120"})
    assert (
        "manifold_kpa" in bad.text
        and "as air must flow inward" in bad.text
        and "<svg" not in bad.text
    )
    assert "a figure" in web.submit("/worksheets/idle-gap", {**fields, "bore_mm": ""}).text


def test_the_card_goes_on_by_plain_forms_too(
    as_person: Callable[[str], Browser], numbers: dict[str, str], db: Session
) -> None:
    """Without scripts a tick is a form that leads back to the card, or says what is missing."""
    web, number = as_person("odd"), numbers["work"]
    page = web.get(f"/jobs/{number}/work").text
    step = re.search(r'data-step="(\d+)"', page)
    left = [s for s in find_job(db, number).steps if s.done_at is None]
    assert (
        step and page.count("data-step=") == len(left) and page.count("hidden>") >= len(left) - 1
    ), "every step that is left stands in the page"
    ticks = [s for s in left if s.document.act == "tick"]
    assert page.count('class="btn btn-main tick') == len(ticks) < len(left), (
        "what is done on its own page is not ticked"
    )
    early = web.submit(
        f"/jobs/{number}/enter/tick",
        {"step": step[1], "record:grade_after": "0", "record:moisture": "yes"},
    )
    assert early.status_code == 409 and "Too early" in early.text
    lacking = web.submit(
        f"/jobs/{number}/enter/tick", {"step": step[1], "early_reason": "warm air used"}
    )
    assert lacking.status_code == 422 and "Choose the grade." in lacking.text
    done = web.submit(
        f"/jobs/{number}/enter/tick",
        {
            "step": step[1],
            "record:grade_after": "0",
            "record:moisture": "yes",
            "early_reason": "warm air used",
        },
    )
    assert done.status_code == 303 and done.headers["location"] == f"/jobs/{number}/work"
    assert (
        "Tape off" in web.get(f"/jobs/{number}/work").text
        or "Refit the air meter" in web.get(f"/jobs/{number}/work").text
    )


def test_no_template_escapes_the_policy_or_the_one_place_for_texts() -> None:
    bare: list[str] = []
    for path in TEMPLATES:
        source = path.read_text()
        assert not re.search(
            r"<script(?![^>]*\bsrc=)|\son\w+=|\sstyle=|javascript:|\|\s*safe", source
        ), f"{path.name}: inline script, style or unescaped text"
        if path.name == "_airpath.html":
            source = re.sub(r"<defs>.*?</defs>", "", source, flags=re.S)
        if path.name == "_paper_ink.html":  # on paper only: see test_insides
            source = re.sub(r"<style>.*?</style>", "", source, flags=re.S)
        plain = re.sub(r"\{#.*?#\}|\{%.*?%\}|\{\{.*?\}\}", " ", source, flags=re.S)
        for words in re.findall(r">([^<>]+)<", plain):
            if re.search(r"[A-Za-z]{3,}", words) and '="' not in words:
                bare.append(f"{path.name}: {words.strip()[:50]}")
    assert bare == []


def test_the_built_stylesheet_is_current() -> None:
    code = (
        "import sys; sys.path.insert(0, 'scripts'); import stamp_stylesheet as s;"
        " print(s.fingerprint())"
    )
    wanted = subprocess.run(
        [sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.strip()
    first_line = (ROOT / "src/galene/web/shared/static/app.css").read_text().split("\n", 1)[0]
    assert wanted in first_line, "run: npm ci && npm run build"


def test_templates_keep_their_lines_and_components_say_what_they_take() -> None:
    for path in TEMPLATES:
        text = path.read_text()
        long = [i for i, line in enumerate(text.splitlines(), 1) if len(line) > 120]
        assert not long, f"{path.name}: lines {long} are longer than 120 columns"
        if path.parent.name == "components":
            assert text.startswith("{#") and "rguments" in text[: text.index("#}")], path.name
            assert text.count("{% macro ") == 1, f"{path.name}: one component a file"
        if path.name.startswith("_"):
            assert text.startswith("{#"), f"{path.name} does not say what it is"
