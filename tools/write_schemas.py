"""Write the JSON Schemas of all our files into docs/schema/."""

from pathlib import Path

from knitground.core.files.schema import schema_texts


def main() -> None:
    """Write each schema; prints its path."""
    folder = Path(__file__).parents[1] / "docs" / "schema"
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in schema_texts().items():
        (folder / name).write_text(text, encoding="utf-8")
        print(folder / name)


if __name__ == "__main__":
    main()
