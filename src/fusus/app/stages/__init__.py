"""One folder a stage: its ledger, its sheet, its notes."""
