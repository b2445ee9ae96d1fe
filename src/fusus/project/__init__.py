"""The document: typed records, folder store, history, provenance."""
