machine     = "large"
gauge_count = 12
tags = {
  owner = "shore"
  tier  = "gold"
}
