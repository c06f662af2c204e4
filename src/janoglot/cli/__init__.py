"""The command line, from the core alone: no database and no web server."""
