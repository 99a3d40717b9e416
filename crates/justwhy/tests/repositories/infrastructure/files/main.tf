module "gauges" {
  source = "./gauges"
  count  = var.gauge_count
}
