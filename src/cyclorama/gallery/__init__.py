"""A portfolio service that is played on this machine: a small site with accounts that are made up, to which clips,
stills and spin pages are posted over HTTP, and whose failures can be switched on.

It knows nothing of the rest of the program, and the rest knows it only by its HTTP interface.
"""

PATH = "/gallery"
"""Where the program shows the site."""
