"""Documents, arrays and files in; documents, arrays and files out. No database, no HTTP, no globals."""
