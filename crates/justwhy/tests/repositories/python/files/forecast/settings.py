import os
import tomllib

from dotenv import load_dotenv

load_dotenv()

ENVIRONMENT = os.environ.get("FORECAST_ENV", "dev")


def read(path):
    with open(path, "rb") as file:
        return tomllib.load(file)


def load():
    settings = read("config/defaults.toml")
    merge(settings, read(f"config/{ENVIRONMENT}.toml"))
    for name, value in os.environ.items():
        if name.startswith("FORECAST_"):
            put(settings, name.removeprefix("FORECAST_").lower().split("__"), value)
    return settings
