"""The system of the pages on one page, in development only: type, rules, parts, states."""

from typing import Literal

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from galene.knowledge.components import COMPONENTS
from galene.web.shared.airpath import GROWTH_PX
from galene.web.shared.templating import TEMPLATES

router = APIRouter(include_in_schema=False)


@router.get("/styleguide")
def show(
    theme: Literal["day", "night"] = "day", layout: Literal["desk", "bay"] = "desk"
) -> HTMLResponse:
    """Every piece of the pages, by day or night, at the desk or in the bay."""
    template = TEMPLATES.get_template("styleguide.html")
    kinds = [c for c in COMPONENTS.values() if not c.sensor]
    return HTMLResponse(template.render(theme=theme, layout=layout, kinds=kinds, growths=GROWTH_PX))
