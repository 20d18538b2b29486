"""The database engine: SQLite, with a last look by the journal before anything is committed."""
