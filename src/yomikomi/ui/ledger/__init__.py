"""The Ledger station."""
