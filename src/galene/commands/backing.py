"""Backup, restore, and new secrets."""

import os
from datetime import UTC, datetime
from pathlib import Path

from galene.commands.running import (
    Addresses,
    application_at,
    data_folder,
    database,
    migrated,
    only_one,
    own_cluster,
)
from galene.commands.words import fail
from galene.settings import Settings
from galene.store.backup import BackupError, Manifest, opened, restore, sealed_here
from galene.store.cluster import Cluster
from galene.store.database import make_engine, session_at
from galene.store.objects import objects_at
from galene.store.pictures import PictureStore
from galene.store.repositories import people, sessions
from galene.store.vault import GIVEN_KEY, Vault, keep_key, key_file, new_key


def _passphrase(settings: Settings, file: Path | None) -> str:
    if file is None:
        return settings.backup_passphrase.get_secret_value()
    try:
        return file.read_text().strip()
    except (OSError, UnicodeDecodeError) as fault:
        raise fail(f"{file}: {getattr(fault, 'strerror', None) or 'not text'}") from fault


def back_up(settings: Settings, file: Path, passphrase_file: Path | None) -> None:
    """Write a backup; the server may run meanwhile."""
    home = data_folder(settings)
    passphrase = _passphrase(settings, passphrase_file)
    with application_at(settings, home) as url:
        _written(settings, url, home, file, passphrase=passphrase)


def _written(settings: Settings, url: str, home: Path, file: Path, *, passphrase: str) -> None:
    from dataclasses import replace

    from galene.jobs.backups import run
    from galene.web.worker import plan_of

    engine = make_engine(url, 2)
    try:
        with session_at(url) as db:
            if people.workshop_or_none(db) is None:
                raise fail("there is no workshop yet: nothing to back up")
        done = run(
            engine,
            PictureStore(objects_at(settings.pictures_url, home)),
            home,
            replace(plan_of(settings, home), passphrase=passphrase),
            now=datetime.now(UTC),
            target=file.absolute(),
        )
    finally:
        engine.dispose()
    if done is None:
        raise fail("another backup is under way: try again when it is done")
    if done.fault:
        raise fail(done.fault)
    sealed = ", sealed" if passphrase else ""
    print(f"{file}: {done.bytes / 1e6:.1f} MB{sealed}, read back and compared")


def take_back(
    settings: Settings,
    file: Path,
    passphrase_file: Path | None,
    *,
    replace: bool,
    foreign: bool = False,
) -> None:
    """Bring a workshop back; one that does not bear the seal of the key that lies here only where
    `foreign` says so."""
    home = data_folder(settings)
    home.mkdir(parents=True, exist_ok=True)
    try:
        with opened(file, _passphrase(settings, passphrase_file)) as plain:
            _ours(plain, home, foreign=foreign)
            if settings.database_url:
                owner = settings.database_owner_url or settings.database_url
                at = Addresses(owner=owner, application=settings.database_url)
                with only_one(home):
                    manifest = _taken_back(settings, plain, at, home, replace=replace)
            else:
                with own_cluster(home) as cluster:
                    at = Addresses(owner=cluster.url(), application=cluster.application_url())
                    manifest = _taken_back(settings, plain, at, home, replace=replace)
    except BackupError as fault:
        raise fail(str(fault)) from fault
    rows = sum(table.rows for table in manifest.tables.values())
    pictures = sum(name.startswith("pictures/") for name in manifest.files)
    print(
        f"{manifest.workshop} as of {manifest.made_at:%Y-%m-%d %H:%M} UTC is back: {rows} rows in"
        f" {len(manifest.tables)} tables compared, {pictures} pictures. Everybody signs in anew."
    )


FOREIGN = (
    "this backup does not bear the seal of this workshop's key: it is foreign, of an older key, or"
    " was changed; --foreign takes it all the same, from where you trust it"
)


def _ours(plain: Path, home: Path, *, foreign: bool) -> None:
    """Say whose a backup is before anything of it is read."""
    ours = sealed_here(plain, home)
    if ours is None:
        print("There is no key here yet: whose backup this is can not be told.")
    elif not ours and not foreign:
        raise BackupError(FOREIGN)


def _taken_back(
    settings: Settings, plain: Path, at: Addresses, home: Path, *, replace: bool
) -> Manifest:
    store = PictureStore(objects_at(settings.pictures_url, home))
    migrated(at)
    with session_at(at.owner) as db:
        if people.workshop_or_none(db) is not None and not replace:
            raise fail("there is a workshop here: --replace puts the backup in its place")
    manifest = restore(plain, at.owner, store, home)
    migrated(at)
    with session_at(at.owner) as db:
        sessions.end_all(db)
    return manifest


def new_secrets(settings: Settings) -> None:
    """New passwords of the private database and a new key of the workshop; what the old key sealed
    is sealed anew, and every session ends."""
    home = data_folder(settings)
    if not settings.database_url and Cluster(home).running_port is not None:
        raise fail("stop the server first: it works by the old secrets")
    with database(settings, home) as at:
        old, key = Vault.of_home(home), new_key()
        fresh = Vault(key)
        by_environment = GIVEN_KEY in os.environ
        if not by_environment:
            # On the disk before anything is sealed by it: a power cut must not lose it.
            keep_key(home, key, name="secret.key.new")
        with session_at(at.owner) as db:
            for person in people.everybody(db):
                opened_secret = old.open(person.totp_secret) if person.totp_secret else None
                if opened_secret is not None:
                    person.totp_secret = fresh.seal(opened_secret)
            sessions.end_all(db)
        if by_environment:
            print(f"set {GIVEN_KEY} to {key} wherever the workshop is served")
        else:
            (home / "secret.key.new").replace(key_file(home))
    if not settings.database_url:
        with own_cluster(home) as cluster:
            cluster.new_passwords()
    print("new secrets are in place; everybody signs in anew")
