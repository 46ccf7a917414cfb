"""The measuring core of Mezzavoce: media in, figures and findings out. Knows no web, no database, no queue."""

VERSION = "0.42.0"
