"""Frames of the air path while it flows, by the browser's own timings, for a family of 40 parts.

.venv/bin/python bench/frames.py
"""

from pathlib import Path

from playwright.sync_api import sync_playwright

from bench.run import grown
from bench.sizes import sized
from galene.knowledge.families import FAMILIES
from galene.web.shared.airpath import picture_of
from galene.web.shared.templating import TEMPLATES

FRAMES = sized(300, 20)
STATIC = Path(__file__).resolve().parent.parent / "src/galene/web/shared/static"
TIMED = """count => new Promise(done => {
  const took = []; let last = performance.now();
  const next = now => { took.push(now - last); last = now;
    if (took.length < count) requestAnimationFrame(next); else done(took.slice(5)); };
  requestAnimationFrame(next);
})"""


def page_of(parts: int) -> str:
    """A page with nothing but the drawing, flowing, and a copy of it as the thin strip has."""
    family = grown(FAMILIES["E"], parts, 60) if parts > len(FAMILIES["E"].parts) else FAMILIES["E"]
    drawing = TEMPLATES.get_template("_airpath.html").module.drawing  # type: ignore[attr-defined]
    style = (STATIC / "app.css").read_text()
    return (
        f"<!doctype html><html class='flowing day'><style>{style}</style>"
        f"<body>{drawing(picture_of(family), 'air', '#')}"
        "<svg class='drawing air' viewBox='0 80 1232 68'><use href='#air-all'/></svg>"
    )


def main() -> None:
    """Print median and 95th percentile of a frame."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell",
            args=["--no-sandbox", "--disable-gpu"],
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        for parts in (24, 40):
            page.set_content(page_of(parts))
            moving = page.evaluate("() => document.getAnimations().length")
            took = sorted(page.evaluate(TIMED, FRAMES))
            print(
                f"  {parts} parts, {moving} moving: median {took[len(took) // 2]:.1f} ms,"
                f" p95 {took[int(len(took) * 0.95)]:.1f} ms"
            )
        browser.close()


if __name__ == "__main__":
    main()
