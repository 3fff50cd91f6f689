"""Write the licences of what the browser is sent, fonts included, to frontend/public/licences.txt: run after a change of its packages."""

from __future__ import annotations

import json
from pathlib import Path

FRONT = Path(__file__).parents[1] / "frontend"
#: Names of files that hold a licence, in the order in which they are looked for.
NAMES = ("LICENSE", "LICENSE.md", "LICENSE.txt", "LICENCE", "license", "license.md", "OFL.txt", "COPYING")


def shipped() -> dict[str, dict[str, object]]:
    """Entries of the lock file that are not for development only, by their folder."""
    lock = json.loads((FRONT / "package-lock.json").read_text())
    return {folder: entry for folder, entry in sorted(lock["packages"].items()) if folder and not entry.get("dev") and not entry.get("devOptional")}


def main() -> None:
    parts = ["Ruvelt sends the browser parts of the packages below. Each stands under its own licence.\n"]
    for folder, entry in shipped().items():
        home = FRONT / folder
        if not home.is_dir():
            continue
        name = folder.removeprefix("node_modules/").split("node_modules/")[-1]
        licence = entry.get("license") or json.loads((home / "package.json").read_text()).get("license", "see below")
        text = next((home.joinpath(n).read_text(errors="replace").strip() for n in NAMES if home.joinpath(n).is_file()), "")
        parts.append(f"{'=' * 78}\n{name} {entry['version']} ({licence})\n\n{text}\n")
    (FRONT / "public" / "licences.txt").write_text("\n".join(parts))


if __name__ == "__main__":
    main()
