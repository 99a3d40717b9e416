package settings

type Settings struct {
	Port    int    `env:"ALERTS_PORT" envDefault:"8090"`
	Zone    string `env:"ALERTS_ZONE" envDefault:"north"`
	Token   string `env:"SMS_TOKEN,required"`
	Verbose bool   `env:"ALERTS_VERBOSE"`
}
