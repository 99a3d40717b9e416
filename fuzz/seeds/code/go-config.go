package tide

import (
	"cmp"
	"os"
)

// os.Getenv("TIDE_COMMENTED") is not read.
type Settings struct {
	Pool   int    `env:"TIDE_POOL" envDefault:"10"`
	Sender string `json:"sender" env:"TIDE_SENDER,required"`
	Queue  string `envconfig:"TIDE_QUEUE" default:"readings"`
	Batch  int    `default:"50" env:"TIDE_BATCH"`
	Desk   string `env:"TIDE_DESK"`
	Key    string `envconfig:"TIDE_KEY" required:"true"`
}

func Load() Settings {
	level := cmp.Or(os.Getenv("TIDE_LEVEL"), "info")
	url := os.Getenv("TIDE_URL")
	port := os.Getenv("TIDE_PORT")
	if port == "" {
		port = "8080"
	}
	host, ok := os.LookupEnv("TIDE_HOST")
	if os.Getenv("TIDE_DEBUG") == "1" {
		trace()
	}
	stage := getEnv("TIDE_STAGE", "dev")
	limit := envOr("TIDE_LIMIT", `40`)
	os.Setenv("TIDE_ZONE", "utc")
	use(level, url, port, host, ok, stage, limit)
	return Settings{}
}

func region() string {
	if value := os.Getenv("TIDE_REGION"); value != "" {
		return value
	}
	return "north"
}

func team() string {
	if value, ok := os.LookupEnv("TIDE_TEAM"); ok {
		return value
	}
	return "shorewatch"
}

func feed() string {
	v := os.Getenv("TIDE_FEED")
	if v == "" {
		v = defaultFeed
	}
	return v
}
