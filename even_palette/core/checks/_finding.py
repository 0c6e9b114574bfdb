"""What a check finds."""

from dataclasses import dataclass
from enum import StrEnum


class Severity(StrEnum):
    ERROR = "error"
    WARNING = "warning"
    NOTE = "note"


@dataclass(frozen=True)
class Finding:
    """One finding: the stage where it is mended, how bad it is, and one sentence with the numbers."""

    stage: str
    severity: Severity
    text: str
