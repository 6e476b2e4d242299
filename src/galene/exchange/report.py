"""The handover report as PDF. WeasyPrint is slow to import, so it is loaded at the first report."""

from pathlib import Path

STATIC = Path(__file__).parent.parent / "web" / "static"


def pdf_of(html: str) -> bytes:
    """A printed page of `html`; only our own static files are read.

    Raises
    ------
    ValueError
        The page asks for anything else.
    """
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class Own(URLFetcher):  # type: ignore[misc]
        """Reads /static/ and nothing else."""

        def fetch(self, url: str, headers: object = None) -> URLFetcherResponse:
            path = (STATIC / url.split("/static/", 1)[-1]).resolve()
            if "/static/" not in url or not path.is_relative_to(STATIC) or not path.is_file():
                raise ValueError(f"the report may not read {url}")
            kinds = {".css": "text/css", ".woff2": "font/woff2"}
            return URLFetcherResponse(
                url,
                body=path.read_bytes(),
                headers={"Content-Type": kinds.get(path.suffix, "application/octet-stream")},
            )

    done: bytes = HTML(string=html, base_url="http://report/", url_fetcher=Own()).write_pdf()
    return done
