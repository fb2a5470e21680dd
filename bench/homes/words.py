"""Folder names as people and desktops write them in several languages."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Words:
    """The standard folders and a few that people make themselves."""

    desktop: str
    documents: str
    downloads: str
    music: str
    pictures: str
    videos: str
    games: str
    films: str
    holidays: str
    old_laptop: str
    backups: str
    projects: str


ENGLISH = Words(
    "Desktop",
    "Documents",
    "Downloads",
    "Music",
    "Pictures",
    "Videos",
    "Games",
    "Films",
    "Holidays",
    "Old laptop",
    "Backups",
    "Projects",
)
GERMAN = Words(
    "Schreibtisch",
    "Dokumente",
    "Downloads",
    "Musik",
    "Bilder",
    "Videos",
    "Spiele",
    "Filme",
    "Urlaub",
    "Alter Laptop",
    "Sicherungen",
    "Projekte",
)
FRENCH = Words(
    "Bureau",
    "Documents",
    "Téléchargements",
    "Musique",
    "Images",
    "Vidéos",
    "Jeux",
    "Films",
    "Vacances",
    "Ancien portable",
    "Sauvegardes",
    "Projets",
)
SPANISH = Words(
    "Escritorio",
    "Documentos",
    "Descargas",
    "Música",
    "Imágenes",
    "Vídeos",
    "Juegos",
    "Películas",
    "Vacaciones",
    "Portátil viejo",
    "Copias",
    "Proyectos",
)
LANGUAGES = {"en": ENGLISH, "de": GERMAN, "fr": FRENCH, "es": SPANISH}
