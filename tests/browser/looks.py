"""Whether a page can be used by everybody."""

from __future__ import annotations

from axe_playwright_python.sync_playwright import Axe


def nothing_serious(test, page, where):
    """No serious finding of the accessibility check."""
    found = [violation for violation in Axe().run(page).response["violations"] if violation["impact"] in ("serious", "critical")]
    said = [(violation["id"], [node["html"][:160] for node in violation["nodes"][:3]]) for violation in found]
    test.assertEqual(said, [], where)
