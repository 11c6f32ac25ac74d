from pathlib import Path

# Where the project that is shipped lies.
FOLDER = Path(__file__).parent / "project"
