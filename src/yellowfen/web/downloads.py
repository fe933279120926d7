"""The head of every answer that is saved as a file: the only place where a download is named."""

import re
from urllib.parse import quote


def saved_as(name: str) -> dict[str, str]:
    """Headers for a file called `name`, whatever signs it holds: a plain name for old browsers, the
    true one in UTF-8 beside it [P: RFC 6266, RFC 8187]. Signs that steer a header or a path are
    left out.
    """
    true = re.sub(r'[\x00-\x1f\x7f/\\<>:"|?*]+', "-", name).strip(" .") or "file"
    plain = re.sub(r"[^A-Za-z0-9 ._()+-]+", "-", true)
    return {
        "content-disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(true)}"
    }
