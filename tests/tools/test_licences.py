"""What Fusus is installed with is listed, as the lock pins it, under licences that fit its own."""

import json

from tools.licences import BILL, PAGE, bill, is_compatible, pinned, rows


def test_the_page_and_the_bill_are_those_of_the_lock():
    kept = json.loads(BILL.read_text())
    assert kept["bomFormat"] == "CycloneDX" and kept["specVersion"] == "1.5"
    listed = {c["name"]: c["version"] for c in kept["components"]}
    assert listed == {name: version for name, (version, _) in pinned().items()} and len(listed) > 30
    assert all(c["hashes"] and c["purl"].startswith("pkg:pypi/") for c in kept["components"])
    page = PAGE.read_text()
    assert all(f"| {name} | {version} |" in page for name, version in listed.items())
    assert len(bill()["components"]) == len(listed)


def test_every_licence_fits():
    assert [r for r in rows() if not is_compatible(r[2])] == []
    assert not is_compatible("Proprietary") and not is_compatible("unknown")
