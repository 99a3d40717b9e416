gauges = 12
zone   = "tide.example"
labels = { owner = "shore", level = 1 }
