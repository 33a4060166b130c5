"""The lines, or records, of a sample of fixed columns."""

from __future__ import annotations

from collections.abc import Sequence

from ...plan.fields import RecordType
from ...plan.model import Rows
from ...sources.source import Sample, decoded, is_ebcdic
from ..text.completing import without_mark

MOST = 1000
"""Lines of the head, and of the rest, that are looked at."""
WIDE = ("utf-16", "utf-32")


class SampleLines:
    """Lines of the head, the middle and the tail of a source."""

    def __init__(self, sample: Sample, encoding: str, length: int | None, text: str) -> None:
        self.sample, self.encoding, self.length = sample, encoding, length
        self.head = _lines_of(text, length, sample.is_whole)
        """The lines, or records, at the head; a last one that is cut is left out."""
        self.further = self._further()
        """Lines from the middle and the tail of a larger file."""

    @staticmethod
    def text_of(sample: Sample, encoding: str) -> str:
        """The head of the source as text, with line ends of EBCDIC as others have them."""
        text = decoded(sample.head, encoding, sample.is_whole)
        return text.replace("\u0085", "\n") if is_ebcdic(encoding) else text

    def _further(self) -> list[str]:
        if self.sample.is_whole or self.length or self.encoding.lower().startswith(WIDE):
            return []
        found: list[str] = []
        for piece in (self.sample.middle, self.sample.beyond_head):
            text = decoded(piece, without_mark(self.encoding, self.sample.head), True)
            found += split_lines(text)[1:-1]
        return found

    def tail(self, most: int) -> list[tuple[int, str]]:
        """The last lines; of a file that was not read whole, counted from its end."""
        sample = self.sample
        if self.length or sample.tail is None or self.encoding.lower().startswith(WIDE):
            return []
        lines = self.head
        if not sample.is_whole:
            text = decoded(sample.tail, without_mark(self.encoding, sample.head), True)
            lines = split_lines(text)[1:]
        end = len(lines) if sample.is_whole else -1
        return list(enumerate(lines, end - len(lines) + 1))[-most:]

    def body(self, parts: Rows) -> list[str]:
        """Lines of data, as far as they were looked at."""
        return [*self.head[(parts.first or 1) - 1 : MOST], *self.further[:MOST]]

    def of_type(self, lines: Sequence[str], record: RecordType | None) -> list[str]:
        """The lines of the record type that is read."""
        if record is None:
            return list(lines)
        wanted = record.take.strip()
        return [line for line in lines if line[record.start - 1 : record.end].strip() == wanted]

    def whole_bytes(self) -> bytes:
        """The head's bytes up to the end of its last whole line or record."""
        head = self.sample.head
        if self.sample.is_whole:
            return head
        if self.length:
            return head[: len(head) - len(head) % self.length] or head
        end = "\u0085" if is_ebcdic(self.encoding) else "\n"
        cut = head.rfind(end.encode(self.encoding, "replace"))
        return head[: cut + 1] if cut > 0 else head


def split_lines(text: str) -> list[str]:
    """Lines by what ends them: LF, CR LF or CR."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    return lines[:-1] if lines and lines[-1] == "" else lines


def _lines_of(text: str, length: int | None, whole: bool) -> list[str]:
    if length:
        records = [text[at : at + length] for at in range(0, len(text), length)]
        return records if whole or len(records) < 2 else records[:-1]
    lines = split_lines(text)
    return lines if whole or len(lines) < 2 else lines[:-1]
