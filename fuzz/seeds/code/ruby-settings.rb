# ENV["TIDE_COMMENTED"] || "x"
module Settings
  LEVEL = ENV.fetch("TIDE_LEVEL", "info")
  PORT = ENV.fetch("TIDE_PORT", 8080).to_i
  URL = ENV.fetch("TIDE_URL")
  HOST = ENV["TIDE_HOST"] || "localhost"
  STAGE = ENV['TIDE_STAGE']
  REGION = ENV.fetch("TIDE_REGION") { "north" }
  TEAM = ENV["TIDE_TEAM"].presence || 'shorewatch'
  WINDOW = (ENV["TIDE_WINDOW"] || 15).to_i
  DEBUG = ENV.key?("TIDE_DEBUG")
  MODE = ENV["TIDE_MODE"] == "fast"
  NODE = ENV.fetch("TIDE_NODE") { Socket.gethostname }
  LABEL = "level #{ENV["TIDE_LABEL"] || "low"} now"
  ENV["TIDE_ZONE"] ||= "utc"
  ENV["TIDE_PROXY"] = "none"
  KEY = ENV.fetch("TIDE_KEY") { raise "TIDE_KEY is not set" }
  trace if ENV["TIDE_TRACE"]
  QUEUE = ENV.fetch 'TIDE_QUEUE', 'readings'
  HELP = <<~TEXT
    Set ENV["TIDE_IN_TEXT"] before you start.
  TEXT
  FEED = ENV.fetch("TIDE_FEED", "https://feed.tide.example".freeze)
end
