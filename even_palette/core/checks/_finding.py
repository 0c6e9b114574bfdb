"""What a check finds."""

from dataclasses import dataclass
from enum import StrEnum


class Severity(StrEnum):
    ERROR = "error"
    WARNING = "warning"
    NOTE = "note"


@dataclass(frozen=True)
class Finding:
    """One finding: the stage where it is mended, how bad it is, and one sentence with the numbers.

    `sheet` and `region` are keys of what it is about, "" where it is about none; `look` is what shows it best: "heat",
    "layout", "id", "weight", "source" or "result".
    """

    stage: str
    severity: Severity
    text: str
    region: str = ""
    look: str = ""
    sheet: str = ""
