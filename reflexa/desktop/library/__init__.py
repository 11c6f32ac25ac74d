"""The Library view: folders of clips outside the project, seen, searched, put in order and used."""
