"""Settings from the environment."""

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """`GALENE_HOME`, `GALENE_PORT`, `GALENE_DATABASE_URL`."""

    model_config = SettingsConfigDict(env_prefix="GALENE_")
    home: Path = Path(".galene")
    port: int = Field(default=8042, ge=1, le=65535)
    database_url: str = ""
