"""Bring the browser libraries and the typeface into the application again from their npm packages,
checksums pinned.

Run `make vendor` (needs npm). A package whose archive does not have the sum written here is
refused.
"""

import hashlib
import subprocess
import sys
import tarfile
import tempfile
from pathlib import Path

from trim_css import trimmed, words_used

TARGET = Path(__file__).parent.parent / "src/yellowfen/web/static/vendor"
PACKAGES = {
    "bootstrap@5.3.9": (
        "db4714d2b71fc3c59dc6d55b99f53ec53d848ef553c3d468aff87542f77b0d70ae8d183c38ef667410ac9931dd2457f706e69d981349b6022e517b01a92924ff",
        {
            "package/dist/css/bootstrap.min.css": "bootstrap.min.css",
            "package/LICENSE": "bootstrap.LICENSE",
        },
    ),
    "@alpinejs/csp@3.17.4": (
        "4a54579aa3ba918867c6583ef7d7ad9aecc9b44f4b93841b2a3047a9ead7cda31f949aa8257773fd223722f1c9199fef455c82ddb474492073e34a18ee0a017a",
        {"package/dist/cdn.min.js": "alpine-csp.min.js"},
    ),
    "@fontsource/atkinson-hyperlegible@5.3.0": (
        "4a9f157bcfab42610d6362efd36547eec2e99edcd34ef9e772724c4db444ec35fa4cbc46ada378ca465fcda51622808599aa26c24bcd8aa9a53e4aca06e0e848",
        {
            "package/files/atkinson-hyperlegible-latin-400-normal.woff2": "atkinson-400.woff2",
            "package/files/atkinson-hyperlegible-latin-700-normal.woff2": "atkinson-700.woff2",
            "package/LICENSE": "atkinson.LICENSE",
        },
    ),
}


def bring(spec: str, checksum: str, files: dict[str, str]) -> None:
    """Fetch one package and copy the named files; exits when the archive is not the pinned one."""
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(
            ["npm", "pack", "--silent", spec], cwd=folder, check=True, stdout=subprocess.DEVNULL
        )
        archive = next(Path(folder).glob("*.tgz"))
        found = hashlib.sha512(archive.read_bytes()).hexdigest()
        if found != checksum:
            sys.exit(
                f"{spec}: the archive's sha512 is {found}, not the pinned one; nothing was changed"
            )
        with tarfile.open(archive) as members:
            for inner, name in files.items():
                member = members.extractfile(inner)
                if member is None:
                    sys.exit(f"{spec}: {inner} is missing")
                data = member.read()
                if name.endswith(".css"):
                    css = data.rsplit(b"/*# sourceMappingURL", 1)[0].decode()
                    data = trimmed(css, words_used()).encode()
                (TARGET / name).write_bytes(data)


if __name__ == "__main__":
    TARGET.mkdir(parents=True, exist_ok=True)
    for spec, (checksum, files) in PACKAGES.items():
        bring(spec, checksum, files)
