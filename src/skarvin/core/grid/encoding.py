"""Which characters the bytes of a text file stand for."""

from dataclasses import dataclass
from pathlib import Path

from skarvin.core.findings import Finding, Place, Unreadable

_UTF8_MARK = b"\xef\xbb\xbf"


@dataclass(frozen=True, slots=True)
class Encoding:
    """How text became bytes: the codec's name, and the byte order mark that stood in front."""

    codec: str
    mark: bytes = b""

    @property
    def title(self) -> str:
        """The encoding in a person's words."""
        return f"{self.codec.upper()}{' with BOM' if self.mark else ''}"


def decode(data: bytes, file: Path) -> tuple[str, Encoding]:
    """Return the text of a file and how it was encoded.

    Decoding is strict, so that encoding the text again gives back the same bytes.

    Raises:
        Unreadable: the bytes are no text, or not in a known encoding.
    """
    encoding = Encoding("utf-8", _UTF8_MARK if data.startswith(_UTF8_MARK) else b"")
    try:
        text = data[len(encoding.mark) :].decode(encoding.codec)
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        raise Unreadable(
            Finding(
                "unknown-encoding",
                f"byte {data[error.start]:#04x} is not UTF-8 text",
                Place(file, line=line),
                "Export the file again and choose UTF-8.",
            )
        ) from None
    if "\0" in text:
        raise Unreadable(
            Finding(
                "not-text",
                "this is not a text file (it holds NUL bytes)",
                Place(file),
                "Export the marks as delimited text (CSV).",
            )
        )
    return text, encoding
