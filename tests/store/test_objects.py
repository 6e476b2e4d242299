"""Pictures in a bucket of a store that speaks S3: a stand-in server on loopback."""

import io
from collections.abc import Iterator
from pathlib import Path

import boto3
import pytest
from moto.server import ThreadedMotoServer
from PIL import Image

from galene.core.errors import InputError
from galene.store.objects import Bucket, objects_at
from galene.store.pictures import PictureStore


@pytest.fixture
def bucket(monkeypatch: pytest.MonkeyPatch) -> Iterator[Bucket]:
    server = ThreadedMotoServer("127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    monkeypatch.setenv("AWS_ENDPOINT_URL_S3", f"http://{host}:{port}")
    monkeypatch.setenv("AWS_ACCESS_KEY_ID", "shed")
    monkeypatch.setenv("AWS_SECRET_ACCESS_KEY", "shed")
    monkeypatch.setenv("AWS_DEFAULT_REGION", "us-east-1")
    boto3.client("s3").create_bucket(Bucket="looked-at")
    made = objects_at("s3://looked-at/shed", Path())
    assert isinstance(made, Bucket)
    yield made
    server.stop()


def picture(colour: str) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (900, 600), colour).save(out, "PNG")
    return out.getvalue()


def test_a_picture_is_kept_once_read_and_forgotten(bucket: Bucket) -> None:
    store = PictureStore(bucket)
    kept = store.keep_with_thumbnail(picture("teal"))
    assert store.keep(picture("teal")) == kept.digest
    assert sorted(store.names()) == sorted({kept.digest, kept.thumbnail})
    data = store.read(kept.digest)
    assert data is not None and data[:3] == b"\xff\xd8\xff"
    assert store.age_s(kept.digest) < 3600
    store.forget(kept.digest)
    store.forget(kept.digest)
    assert store.read(kept.digest) is None and list(store.names()) == [kept.thumbnail]


def test_only_a_bucket_or_nothing_is_an_address(tmp_path: object) -> None:
    for odd in ("http://store/bucket", "s3:///nothing", "pictures"):
        with pytest.raises(InputError, match="GALENE_PICTURES_URL"):
            objects_at(odd, tmp_path)
