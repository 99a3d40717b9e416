variable "gauge_count" {
  type    = number
  default = 2
}

variable "machine" {
  type = string
}

variable "retention_days" {
  type    = number
  default = 30
}
