"""What was found out about a source, as typed values.

Every decision that is not declared rests on something in the file. Each kind of such evidence has a
class here: what was decided, which variable it concerns, the counts for and against it, examples
with their rows, what else it could be, and the declaration that would settle it otherwise (`mend`).
There is no wording in these values, and nothing is ever learnt from a text made for people: `show`
puts all of this into words, once for the terminal, notebooks, plan comments and JSON.

To add a kind: write its class in a file of this room, create it where it is found, and give it
words in `show/claims.py`, or in the file of words that `show/claim.py` names for that file.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .base import Evidence, Example, Kinded, Mend, TextCount, with_answers
    from .every import ALL_EVIDENCE, ALL_NOTES
    from .fixed import CutValues, FieldsFound, RecordLength, SharedPositions, UncoveredPositions
    from .notes import (
        CutCharacters,
        DictionaryGap,
        FellBack,
        IncompleteRecord,
        MovedColumns,
        Note,
        PlainNameTaken,
        PromiseNotChecked,
        ProvisionalTypes,
        RenamedColumn,
        SourceChanged,
        UndeclaredColumns,
        UnnamedColumns,
    )
    from .rows import (
        AllowedByList,
        ClosingRows,
        CommentLabels,
        EndNotSeen,
        FieldNamesFound,
        HeadingFound,
        HeadingMoved,
        LabelsFound,
        LeftOutByPosition,
        NoHeading,
        RepeatedHeading,
        TitlesFound,
        UnitsFound,
    )
    from .sets import (
        EmptyFiles,
        FilesDiffer,
        FileSetAside,
        FilesLeftOut,
        FilesNotReached,
        FilesUnlike,
        InFiles,
        NotInFiles,
        PerhapsRenamed,
        TypesDiffer,
        UnitsDiffer,
    )
    from .sheet import (
        BlanksAround,
        BlockChosen,
        CellsOutside,
        HiddenCells,
        KindCount,
        LiesOnItsSide,
        MergedCells,
        MixedKinds,
        NotCalculated,
        NumbersStoredAsText,
        SerialDays,
        SheetChosen,
        SpacerColumns,
        StoredAsText,
        VariablesDescribed,
    )
    from .source import (
        AlignedColumns,
        BlanksFollow,
        CommentFound,
        DecimalMark,
        DelimiterFound,
        EmptySource,
        EncodingBasis,
        EncodingFound,
        EscapeFound,
        GroupingMark,
        QuoteFound,
        Rival,
    )
    from .tables import (
        BlankColumns,
        FootnoteMarks,
        GroupTitles,
        HiddenRows,
        NamedOtherwise,
        NoKeyInTable,
        SourceDiffers,
        SpansFilled,
        TableChosen,
        TableToName,
    )
    from .variables import (
        CodesAsWritten,
        FormatFound,
        InexactNumbers,
        LeadingBlanks,
        LeadingZeros,
        LevelBasis,
        LevelSuggested,
        MarksKept,
        MarksTaken,
        MostlyUnreadable,
        OnlyMarks,
        Suspect,
        SuspectedCodes,
        TextBecause,
        TypeFits,
    )

HOMES = (
    "base",
    "source",
    "rows",
    "variables",
    "notes",
    "fixed",
    "sheet",
    "tables",
    "sets",
    "every",
)
"""The files of this room, in the order in which most reads need them."""

__all__ = [
    "ALL_EVIDENCE",
    "ALL_NOTES",
    "AlignedColumns",
    "AllowedByList",
    "BlankColumns",
    "BlanksAround",
    "BlanksFollow",
    "BlockChosen",
    "CellsOutside",
    "ClosingRows",
    "CodesAsWritten",
    "CommentFound",
    "CommentLabels",
    "CutCharacters",
    "CutValues",
    "DecimalMark",
    "DelimiterFound",
    "DictionaryGap",
    "EmptyFiles",
    "EmptySource",
    "EncodingBasis",
    "EncodingFound",
    "EndNotSeen",
    "EscapeFound",
    "Evidence",
    "Example",
    "FellBack",
    "FieldNamesFound",
    "FieldsFound",
    "FileSetAside",
    "FilesDiffer",
    "FilesLeftOut",
    "FilesNotReached",
    "FilesUnlike",
    "FootnoteMarks",
    "FormatFound",
    "GroupTitles",
    "GroupingMark",
    "HeadingFound",
    "HeadingMoved",
    "HiddenCells",
    "HiddenRows",
    "InFiles",
    "IncompleteRecord",
    "InexactNumbers",
    "KindCount",
    "Kinded",
    "LabelsFound",
    "LeadingBlanks",
    "LeadingZeros",
    "LeftOutByPosition",
    "LevelBasis",
    "LevelSuggested",
    "LiesOnItsSide",
    "MarksKept",
    "MarksTaken",
    "Mend",
    "MergedCells",
    "MixedKinds",
    "MostlyUnreadable",
    "MovedColumns",
    "NamedOtherwise",
    "NoHeading",
    "NoKeyInTable",
    "NotCalculated",
    "NotInFiles",
    "Note",
    "NumbersStoredAsText",
    "OnlyMarks",
    "PerhapsRenamed",
    "PlainNameTaken",
    "PromiseNotChecked",
    "ProvisionalTypes",
    "QuoteFound",
    "RecordLength",
    "RenamedColumn",
    "RepeatedHeading",
    "Rival",
    "SerialDays",
    "SharedPositions",
    "SheetChosen",
    "SourceChanged",
    "SourceDiffers",
    "SpacerColumns",
    "SpansFilled",
    "StoredAsText",
    "Suspect",
    "SuspectedCodes",
    "TableChosen",
    "TableToName",
    "TextBecause",
    "TextCount",
    "TitlesFound",
    "TypeFits",
    "TypesDiffer",
    "UncoveredPositions",
    "UndeclaredColumns",
    "UnitsDiffer",
    "UnitsFound",
    "UnnamedColumns",
    "VariablesDescribed",
    "with_answers",
]


def __getattr__(name: str) -> Any:
    """Load a kind of evidence on first access: most reads need only a few of the files."""
    for home in HOMES if not name.startswith("_") else ():
        found = getattr(import_module(f".{home}", __name__), name, None)
        if found is not None:
            globals()[name] = found
            return found
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
