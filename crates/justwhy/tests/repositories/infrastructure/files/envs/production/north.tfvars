gauge_count = 20
zone        = "north-1"
