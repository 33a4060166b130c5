"""Tables that belong together: refreshed when a source changes, related, and handed on as one."""

import tempfile
from pathlib import Path

import olive_crate as oc

with tempfile.TemporaryDirectory() as made:
    folder = Path(made)
    growers = "grower;village\n" + "".join(f"{n};V{n % 3}\n" for n in range(1, 31))
    (folder / "growers.csv").write_text(growers)
    deliveries = "delivery;grower;net\n"
    deliveries += "".join(f"{n};{n % 30 + 1};{400 + n * 7 % 90}\n" for n in range(1, 201))
    (folder / "deliveries.csv").write_text(deliveries)

    crate = oc.Crate.new(folder / "season", title="The season")
    crate.add(folder / "growers.csv", promised={"key": "grower"})
    crate.add(folder / "deliveries.csv", promised={"key": "delivery"})
    print(crate.keys())
    crate.relate("deliveries", "grower", "growers", "grower")
    assert crate.refresh().is_well

    with (folder / "deliveries.csv").open("a") as stream:
        stream.write("201;31;455\n")  # a grower that nobody knows
    print(crate.status())
    done = crate.refresh()
    print(done)
    assert not done.is_well and done.relations[0].examples == ("31",)

    (folder / "growers.csv").write_text(growers + "31;V1\n")
    assert crate.refresh().is_well
    print(crate.compare("deliveries"))

    crate.seal(folder / "season.zip")
    assert oc.verify(folder / "season.zip").is_whole
    handed_on = oc.Crate.open(folder / "season.zip")
    assert oc.compare(handed_on["deliveries"], crate["deliveries"]).equal
