"""The application as `./galene dev` serves it: made anew at every change of a source file."""

from fastapi import FastAPI

from galene.settings import Settings
from galene.store.database import make_engine
from galene.web import styleguide
from galene.web.app import Site, create_app


def app() -> FastAPI:
    """The application on the database that the environment names."""
    settings = Settings()
    assert settings.database_url, "started by ./galene dev, which sets GALENE_DATABASE_URL"
    site = Site(home=settings.home, hosts=settings.hosts)
    made = create_app(make_engine(settings.database_url), site)
    made.include_router(styleguide.router)
    return made
