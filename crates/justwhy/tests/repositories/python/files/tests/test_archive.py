import os

os.environ.setdefault("ARCHIVE_HOST", "localhost")
HOST = os.environ.get("ARCHIVE_HOST", "nowhere.tide.example")
