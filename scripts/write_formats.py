"""Write the published schemas of the open formats into docs/formats/. Run after a format
changed."""

from pathlib import Path

from galene.exchange.families import schema_text
from galene.knowledge.document_schema import schema_text as trade_schema_text
from galene.store.job_schema import schema_text as job_schema_text

TARGET = Path(__file__).resolve().parent.parent / "docs/formats"

if __name__ == "__main__":
    TARGET.mkdir(exist_ok=True)
    (TARGET / "engine-family.schema.json").write_text(schema_text())
    (TARGET / "trade.schema.json").write_text(trade_schema_text())
    (TARGET / "job.schema.json").write_text(job_schema_text())
