"""Open formats in and out.

The JSON contracts (`calculations`, `cases`, `scopes`, `judgements`, `plans`, `proofs`; `shapes`
reads them), engine families and templates as documents, samples of bands, pasted rows, tables in
CSV, logs in CSV and MDF 4, job bundles, calendars, the report as PDF, what bridge and server say
(`live`).
"""
