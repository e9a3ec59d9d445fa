#!/usr/bin/env bash
# Times the networks' kernels beside native yardsticks, in turns: an LSTM's training step (128
# windows, 48 steps, 64 units, two threads each) beside Debian's python3-torch, and products of
# single precision (one thread each) beside its OpenBLAS through python3-numpy.
#   bench/networks.sh [TURNS]
set -euo pipefail
cd "$(dirname "$0")/.."
turns=${1:-3}
export OPENBLAS_NUM_THREADS=1 OMP_WAIT_POLICY=passive
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
go test -c -o "$work/net" ./core/num/net
go test -c -o "$work/tensor" ./core/num/tensor
for turn in $(seq "$turns"); do
	ours=$("$work/net" -test.run xxx -test.bench 'LSTMStep' -test.benchtime 3s | awk '/^Benchmark/ {print $3 / 1e9}')
	theirs=$(/usr/bin/python3 bench/networks.py lstm 2)
	awk -v a="$ours" -v b="$theirs" 'BEGIN {printf "LSTM step: %.1f ms, torch %.1f ms, ratio %.2f\n", 1e3 * a, 1e3 * b, a / b}'
	/usr/bin/python3 bench/networks.py products > "$work/blas"
	"$work/tensor" -test.run xxx -test.bench 'Multiply/.*/avx' -test.benchtime 300ms -test.cpu 1 |
		awk 'NR == FNR {blas[$1] = $2; next} /^Benchmark/ {split($1, part, "/"); printf "product %s, %s: %.0f GFLOP/s, OpenBLAS %.0f, ratio %.2f\n", part[2], part[3], $5, blas[part[2]], $5 / blas[part[2]]}' "$work/blas" -
done
