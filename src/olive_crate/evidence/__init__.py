"""What was found out about a source, as typed values.

Every decision that is not declared rests on something in the file. Each kind of such evidence has a
class here: what was decided, which variable it concerns, the counts for and against it, examples
with their rows, what else it could be, and the declaration that would settle it otherwise (`mend`).
There is no wording in these values, and nothing is ever learnt from a text made for people: `show`
puts all of this into words, once for the terminal, notebooks, plan comments and JSON.

To add a kind: write its class here, create it where it is found, and give it words in
`show/evidence.py`.
"""

from __future__ import annotations

from .base import Evidence, Example, Kinded, Mend, TextCount, with_answers
from .fixed import CutValues, FieldsFound, RecordLength, SharedPositions, UncoveredPositions
from .notes import (
    CutCharacters,
    DictionaryGap,
    IncompleteRecord,
    MovedColumns,
    Note,
    PlainNameTaken,
    PromiseNotChecked,
    RenamedColumn,
    SourceChanged,
    UndeclaredColumns,
    UnnamedColumns,
)
from .rows import (
    ClosingRows,
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
from .sheet import (
    BlanksAround,
    BlockChosen,
    CellsOutside,
    HiddenCells,
    KindCount,
    MergedCells,
    MixedKinds,
    NumbersStoredAsText,
    SerialDays,
    SheetChosen,
    StoredAsText,
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
from .variables import (
    FormatFound,
    InexactNumbers,
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

ALL_EVIDENCE = (
    *(EmptySource, EncodingFound, AlignedColumns, DelimiterFound, QuoteFound, EscapeFound),
    *(
        BlanksFollow,
        CommentFound,
        DecimalMark,
        GroupingMark,
        HeadingFound,
        NoHeading,
        FieldNamesFound,
    ),
    *(HeadingMoved, TitlesFound, UnitsFound, LabelsFound, ClosingRows, LeftOutByPosition),
    *(RepeatedHeading, RecordLength, FieldsFound),
    *(SharedPositions, CutValues, UncoveredPositions, SheetChosen, BlockChosen, HiddenCells),
    *(MergedCells, CellsOutside, BlanksAround, MixedKinds, NumbersStoredAsText, StoredAsText),
    *(SerialDays, TypeFits, FormatFound, TextBecause, LeadingZeros, MostlyUnreadable),
    *(OnlyMarks, MarksKept, InexactNumbers, MarksTaken, SuspectedCodes, LevelSuggested),
)

ALL_NOTES = (
    *(RenamedColumn, UnnamedColumns, UndeclaredColumns, MovedColumns, PlainNameTaken),
    *(SourceChanged, PromiseNotChecked, IncompleteRecord, CutCharacters, DictionaryGap),
)

__all__ = [
    "ALL_EVIDENCE",
    "ALL_NOTES",
    "AlignedColumns",
    "BlanksAround",
    "BlanksFollow",
    "BlockChosen",
    "CellsOutside",
    "ClosingRows",
    "CommentFound",
    "CutCharacters",
    "CutValues",
    "DecimalMark",
    "DelimiterFound",
    "DictionaryGap",
    "EmptySource",
    "EncodingBasis",
    "EncodingFound",
    "EscapeFound",
    "Evidence",
    "Example",
    "FieldNamesFound",
    "FieldsFound",
    "FormatFound",
    "GroupingMark",
    "HeadingFound",
    "HeadingMoved",
    "HiddenCells",
    "IncompleteRecord",
    "InexactNumbers",
    "KindCount",
    "Kinded",
    "LabelsFound",
    "LeadingZeros",
    "LeftOutByPosition",
    "LevelBasis",
    "LevelSuggested",
    "MarksKept",
    "MarksTaken",
    "Mend",
    "MergedCells",
    "MixedKinds",
    "MostlyUnreadable",
    "MovedColumns",
    "NoHeading",
    "Note",
    "NumbersStoredAsText",
    "OnlyMarks",
    "PlainNameTaken",
    "PromiseNotChecked",
    "QuoteFound",
    "RecordLength",
    "RenamedColumn",
    "RepeatedHeading",
    "Rival",
    "SerialDays",
    "SharedPositions",
    "SheetChosen",
    "SourceChanged",
    "StoredAsText",
    "Suspect",
    "SuspectedCodes",
    "TextBecause",
    "TextCount",
    "TitlesFound",
    "TypeFits",
    "UncoveredPositions",
    "UndeclaredColumns",
    "UnitsFound",
    "UnnamedColumns",
    "with_answers",
]
