"""Settings from the environment: each is `GALENE_` and its name in capitals."""

from pathlib import Path

from pydantic import Field, SecretStr
from pydantic_settings import BaseSettings, SettingsConfigDict

LOOPBACK = ("localhost", "127.0.0.1", "[::1]")
"""Names by which this machine calls itself."""
EVERY_ADDRESS = ("0.0.0.0", "::")  # noqa: S104


class Settings(BaseSettings):
    """What a start goes by; `docs/running.md` says each in a line.

    `trusted_hosts` and `trusted_proxies` are names and addresses with commas between them.
    """

    model_config = SettingsConfigDict(env_prefix="GALENE_")
    home: Path = Path(".galene")
    host: str = "127.0.0.1"
    port: int = Field(default=8042, ge=1, le=65535)
    workers: int = Field(default=1, ge=1, le=64)
    trusted_hosts: str = ""
    trusted_proxies: str = ""
    tls_certificate: Path | None = None
    tls_key: Path | None = None
    database_url: str = ""
    database_owner_url: str = ""
    pool_size: int = Field(default=12, ge=2, le=500)
    pictures_url: str = ""
    backup_folder: Path | None = None
    backup_hour: int = Field(default=2, ge=0, le=23)
    backup_passphrase: SecretStr = SecretStr("")
    seat_port: int = Field(default=0, ge=0, le=65535)
    metrics_port: int = Field(default=0, ge=0, le=65535)

    @property
    def hosts(self) -> frozenset[str]:
        """Names by which a browser may call this server."""
        own = () if self.host in EVERY_ADDRESS else (self.host,)
        named = (name.strip().lower() for name in self.trusted_hosts.split(","))
        return frozenset((*LOOPBACK, *own, *(name for name in named if name)))
