"""Physics and search on numbers and arrays: no files, no database, no network, no Qt, no clock."""
