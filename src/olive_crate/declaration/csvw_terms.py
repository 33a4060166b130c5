"""The words of CSV on the Web that reading and writing its metadata share.

"Metadata Vocabulary for Tabular Data" and "Model for Tabular Data and Metadata on the Web", W3C
Recommendations of 17 December 2015.
"""

from __future__ import annotations

CONTEXT = "http://www.w3.org/ns/csvw"
DATES = {
    "%Y-%m-%d": "yyyy-MM-dd",
    "%Y%m%d": "yyyyMMdd",
    "%d-%m-%Y": "dd-MM-yyyy",
    "%m-%d-%Y": "MM-dd-yyyy",
    "%d/%m/%Y": "dd/MM/yyyy",
    "%m/%d/%Y": "MM/dd/yyyy",
    "%d.%m.%Y": "dd.MM.yyyy",
    "%m.%d.%Y": "MM.dd.yyyy",
}
CLOCKS = {"%H:%M:%S": "HH:mm:ss", "%H%M%S": "HHmmss", "%H:%M": "HH:mm", "%H%M": "HHmm"}
MOMENTS = {
    f"{day}{mark}{clock}": f"{day_word}{mark}{clock_word}"
    for mark in "T "
    for day, day_word in DATES.items()
    for clock, clock_word in CLOCKS.items()
    if mark == " " or day == "%Y-%m-%d"
}
FORMATS = {"date": DATES, "time": CLOCKS, "datetime": MOMENTS}
"""The patterns of section 6.4.4 of the model, by how `strptime` writes them."""
