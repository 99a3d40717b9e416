#!/bin/sh
set -eu
env="$1"
region="$2"
apply-values --values-file="envs/$env/shared.tfvars" --values-file="envs/$env/$region.tfvars"
