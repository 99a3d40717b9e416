zone  = "south-1"
label = "${var.machine}-south"
