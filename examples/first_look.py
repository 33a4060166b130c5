"""From a file that somebody else made to a dataset, with nothing decided in silence."""

from importlib.resources import as_file, files

import olive_crate as oc

with as_file(files("olive_crate.demo") / "data" / "deliveries_2025.csv") as path:
    print(oc.look(path))

    # Two laboratory columns are text because of "n.d."; the laboratory says what its codes mean.
    lab = {
        "n.d.": "below detection",
        777: "sample lost",
        888: "not tested",
        999: "instrument fault",
    }
    deliveries = oc.load(
        path,
        variables={
            "Date": {"type": "date", "format": "%d.%m.%Y"},
            "Free acidity": {"type": "number", "missing": lab},
            "Peroxide value": {"type": "number", "missing": lab},
        },
    )

print(deliveries.receipt)
assert deliveries.receipt.balanced
