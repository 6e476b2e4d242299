"""The handover report as PDF. WeasyPrint is slow to import, so it is loaded at the first report."""

from collections.abc import Callable
from pathlib import Path

STATIC = Path(__file__).parent.parent / "web" / "shared" / "static"
PAPERS: dict[str, str] = {"A4": "A4", "letter": "letter"}
PICTURE = "/pictures/"
DOTS_AN_INCH = 150
"""What pictures are brought down to: enough for a printed page, small enough for a letter."""


def pdf_of(html: str, *, paper: str, picture: Callable[[str], bytes]) -> bytes:
    """A printed page of `html`, tagged for readers (PDF/UA); only our own static files and pictures
    are read.

    Parameters
    ----------
    paper : A4 or letter
    picture : gives the JPEG of a content hash

    Raises
    ------
    ValueError
        The page asks for anything else.
    """
    from weasyprint import CSS, HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class Own(URLFetcher):  # type: ignore[misc]
        """Reads /static/ and /pictures/ and nothing else."""

        def fetch(self, url: str, headers: object = None) -> URLFetcherResponse:
            if PICTURE in url:
                name = url.rsplit("/", 1)[-1].removesuffix(".jpg")
                return URLFetcherResponse(
                    url, body=picture(name), headers={"Content-Type": "image/jpeg"}
                )
            path = (STATIC / url.split("/static/", 1)[-1]).resolve()
            if "/static/" not in url or not path.is_relative_to(STATIC) or not path.is_file():
                raise ValueError(f"the report may not read {url}")
            kinds = {".css": "text/css", ".woff2": "font/woff2"}
            return URLFetcherResponse(
                url,
                body=path.read_bytes(),
                headers={"Content-Type": kinds.get(path.suffix, "application/octet-stream")},
            )

    fetcher = Own()
    size = CSS(string=f"@page {{ size: {PAPERS[paper]} }}", url_fetcher=fetcher)
    done: bytes = HTML(string=html, base_url="http://report/", url_fetcher=fetcher).write_pdf(
        stylesheets=[size],
        pdf_variant="pdf/ua-1",
        optimize_images=True,
        dpi=DOTS_AN_INCH,
        jpeg_quality=80,
    )
    return done
