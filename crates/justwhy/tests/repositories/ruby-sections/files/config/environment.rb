ENVIRONMENT = ENV.fetch("RACK_ENV", "development")
PORT = ENV.fetch("PORT", "9292")
THREADS = Integer(ENV["WEB_THREADS"] || 3)
KEY = ENV.fetch("SESSION_KEY")
