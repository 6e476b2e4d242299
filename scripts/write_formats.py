"""Write the published schemas of the open formats into docs/formats/. Run after a format
changed."""

from pathlib import Path

from galene.exchange.families import schema_text

TARGET = Path(__file__).resolve().parent.parent / "docs/formats"

if __name__ == "__main__":
    TARGET.mkdir(exist_ok=True)
    (TARGET / "engine-family.schema.json").write_text(schema_text())
