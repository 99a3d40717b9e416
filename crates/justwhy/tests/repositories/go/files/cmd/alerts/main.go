package main

import "os"

func main() {
	stage := os.Getenv("STAGE")
	if stage == "" {
		stage = "staging"
	}
	load("config.yaml", "config."+stage+".yaml")
}
