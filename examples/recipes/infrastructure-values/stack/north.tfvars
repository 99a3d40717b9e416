gauges = 20
host   = "north.${var.zone}"
