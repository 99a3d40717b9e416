import configparser

settings = configparser.ConfigParser()
settings.read(["tide.ini", "local.ini"])
