"""The web, played by the demo's server: a page's tables, a feed, a published workbook."""

import olive_crate as oc
from olive_crate.demo.server import serving

with serving() as server:
    page = f"{server.address}/harvest.html"
    print(oc.look(page))
    codes = {"n.d.": "weighbridge out of order"}
    villages = oc.load(page, table="villages", types={"2025 Olives, t": "number"}, missing=codes)
    print(villages.receipt)
    assert villages["2025 Olives, t"].values.to_pylist()[2] == 2288.1

    notices = oc.load(f"{server.address}/news.atom")
    assert notices["updated"].variable.type == "datetime"

    tasters = oc.load(f"{server.address}/documents/panel/view#sheet=Tasters")
    print(tasters.codebook())
