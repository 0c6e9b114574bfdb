"""The languages in which programs are written: every module of this package that declares a LANGUAGE.

Adding a language is adding a file.
"""

from even_palette.core.declared import declared
from even_palette.core.graph.languages._declare import Form, Language

LANGUAGES: dict[str, Language] = {language.name: language for language in declared(__name__, __path__, "LANGUAGE")}
"""The languages by name."""

__all__ = ["LANGUAGES", "Form", "Language"]
