"""Every picture in docs/screenshots, made anew from the demo's data. The demo must run."""

import os
import re
from dataclasses import dataclass
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "docs" / "screenshots"
BASE = f"http://127.0.0.1:{os.environ.get('GALENE_PORT', '8042')}"
WIDE, BAY = {"width": 1280, "height": 800}, {"width": 390, "height": 844}
SETTLE_MS, LIVE_MS = 600, 8000
"""Until a page stands still; until its live figures were looked at for parts too."""


@dataclass(frozen=True, kw_only=True)
class Picture:
    """A view: its file, its address, and how it is looked at; a plate in braces stands for the
    number of that vehicle's newest job."""

    name: str
    path: str
    bay: bool = False


PICTURES: tuple[Picture, ...] = (
    Picture(name="today", path="/"),
    Picture(name="intake", path="/jobs/{QN-114}/intake"),
    Picture(name="evidence", path="/jobs/{QN-152}/evidence"),
    Picture(name="log", path="/jobs/{QN-088}/logs/1"),
    Picture(name="bore-gauge", path="/worksheets/bore-restriction"),
    Picture(name="diagnosis", path="/jobs/{QN-501}/diagnosis"),
    Picture(name="check", path="held"),
    Picture(name="plan", path="/jobs/{QN-412}/plan"),
    Picture(name="matrix", path="/shelf/matrix"),
    Picture(name="work", path="/jobs/{QN-260}/work"),
    Picture(name="work-bay", path="/jobs/{QN-207}/work", bay=True),
    Picture(name="prove", path="/jobs/{QN-124}/prove"),
    Picture(name="handover", path="finished"),
    Picture(name="vehicle", path="/vehicles/QN114"),
    Picture(name="fleet", path="/fleet"),
    Picture(name="bands", path="/reference/families/A/bands"),
    Picture(name="fuel", path="/vehicles/QN266/fuel"),
    Picture(name="family", path="/reference/families/D"),
    Picture(name="family-editor", path="draft"),
)


def sign_in(page: Page, name: str) -> None:
    """Sign in with the demo's password."""
    page.goto(f"{BASE}/sign-in")
    page.fill("[name=name]", name)
    page.fill("[name=password]", f"slipway-{name}")
    page.keyboard.press("Enter")
    page.wait_for_url(f"{BASE}/")


def finished_job(page: Page) -> str:
    """The handover of a job that is signed."""
    page.goto(f"{BASE}/vehicles")
    plates = dict.fromkeys(re.findall(r"/vehicles/(\w+)", page.content()))
    for plate in plates:
        text = page.request.get(f"{BASE}/vehicles/{plate}").text()
        for number in re.findall(r"/jobs/([\d-]+)", text):
            handover = page.request.get(f"{BASE}/jobs/{number}/handover").text()
            if "report.pdf" in handover and "Sign and finish" not in handover:
                return f"/jobs/{number}/handover"
    raise SystemExit("the demo holds no signed job")


def draft(page: Page) -> str:
    """The editor of a family, with a part that fasteners hold; a draft is begun where none is."""
    page.goto(f"{BASE}/reference/families/B/edit")
    if "/edit" not in page.url:
        page.goto(f"{BASE}/reference/families/B")
        page.locator("form[action$='/edit/begin'] button").first.click()
        page.wait_for_url("**/edit**")
    return "/reference/families/B/edit?part=throttle_body"


def held(page: Page) -> str:
    """The flow test of the car on the line while its valve is held open."""
    path = numbered(page, "/jobs/{QN-088}/checks/egr_flow_test")
    page.goto(BASE + path)
    page.wait_for_timeout(SETTLE_MS)
    for box in page.locator("[name=asked]").all():
        box.check()
    page.wait_for_timeout(LIVE_MS)
    button = page.locator("[data-hold]")
    button.scroll_into_view_if_needed()
    place = button.bounding_box()
    if place is None:
        raise SystemExit("the flow test can not be held from its page")
    page.mouse.move(place["x"] + 40, place["y"] + 40)
    page.mouse.down()
    page.wait_for_timeout(LIVE_MS)
    page.evaluate("window.scrollTo(0, 0)")
    return ""


def numbered(page: Page, path: str) -> str:
    """A path with the number of a vehicle's newest job in the place of its plate."""

    def newest(plate: re.Match[str]) -> str:
        jobs = page.request.get(f"{BASE}/api/v1/jobs?plate={plate[1]}").json()
        return str(jobs[0]["number"])

    return re.sub(r"\{([\w-]+)\}", newest, path)


def main() -> None:
    """Make them all."""
    with sync_playwright() as p:
        browser = p.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--headless"]
        )
        for one in PICTURES:
            size = BAY if one.bay else WIDE
            page = browser.new_context(viewport=size).new_page()  # type: ignore[arg-type]
            sign_in(page, "odd" if one.bay else "maren")
            special = {"finished": finished_job, "draft": draft, "held": held}.get(one.path)
            path = special(page) if special else numbered(page, one.path)
            if path:
                page.goto(BASE + path)
            live = path and page.locator("[data-live-strip][data-state=live]").count()
            page.wait_for_timeout(LIVE_MS if live else SETTLE_MS)
            page.screenshot(path=TARGET / f"{one.name}.png")
            print(one.name, page.evaluate("document.documentElement.scrollWidth"))
            page.context.close()


if __name__ == "__main__":
    main()
