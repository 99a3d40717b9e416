"""Settings: os.environ["TIDE_IN_DOCSTRING"] is read nowhere."""
import os
from os import environ, getenv

LEVEL = os.environ.get("TIDE_LEVEL", "info")
PORT = int(os.environ.get('TIDE_PORT', 8080))
URL = os.environ["TIDE_URL"]
HOST = os.getenv("TIDE_HOST", default="localhost")
STAGE = os.getenv("TIDE_STAGE")
REGION = os.getenv("TIDE_REGION") or "north"
TEAM = environ.get("TIDE_TEAM", "shore" "watch")
WINDOW = getenv("TIDE_WINDOW", 15 * 60)
NODE = os.environ.get("TIDE_NODE", socket.gethostname())
TOKEN = os.environ.get("TIDE_TOKEN", None)
DEBUG = "TIDE_DEBUG" in os.environ
LIMIT = os.environ["TIDE_LIMIT"] if "TIDE_LIMIT" in os.environ else "40"
RATIO = float(os.environ.get("TIDE_RATIO", 0.75))
os.environ.setdefault("TIDE_ZONE", "utc")
os.environ["TIDE_PROXY"] = "none"
# os.environ.get("TIDE_COMMENTED", "x")
LABEL = f"level {os.environ.get('TIDE_LABEL', 'low')} now"
MULTI = os.environ.get(
    "TIDE_MULTI",
    "several lines",  # a comment, with a comma
)
ENABLED = os.getenv("TIDE_ENABLED", "false").lower() == "true"
FLAG = os.environ.get("TIDE_FLAG", False)
RAW = os.environ.get("TIDE_RAW", r"C:\tide")
if os.environ.get("TIDE_TRACE"):
    trace()
MODE = os.getenv("TIDE_MODE") == "fast"


class Settings(BaseSettings):
    pool: int = Field(10, env="TIDE_POOL")
    sender: str = Field(..., env="TIDE_SENDER")
    feed: str = Field(default="https://feed.tide.example", validation_alias="TIDE_FEED")
    retries: int = Field(alias="TIDE_RETRIES", default=3)


queue = env("TIDE_QUEUE", default="readings")
batch = env.int("TIDE_BATCH", 50)
desk = env.str("TIDE_DESK")
cast = config("TIDE_CAST", cast=int, default=7)
