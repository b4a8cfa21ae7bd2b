"""Write the JSON Schemas of all our files, and of what verbs print, into docs/schema/."""

from pathlib import Path

from knitground.cli.said import said_texts
from knitground.core.files.schema import schema_texts


def main() -> None:
    """Write each schema; prints its path."""
    folder = Path(__file__).parents[1] / "docs" / "schema"
    said = folder / "said"
    said.mkdir(parents=True, exist_ok=True)
    for place, texts in ((folder, schema_texts()), (said, said_texts())):
        for name, text in texts.items():
            (place / name).write_text(text, encoding="utf-8")
            print(place / name)


if __name__ == "__main__":
    main()
