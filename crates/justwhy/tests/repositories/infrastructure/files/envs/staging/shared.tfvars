machine = "small"
tags = {
  owner = "shore"
}
