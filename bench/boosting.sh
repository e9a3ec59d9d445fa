#!/usr/bin/env bash
# Sets our trees beside a native histogram booster, in turns, on one thread each: 100 trees of 31
# leaves on ROWS x 30 numbers. Prints the CPU time of each and the error on 100,000 further rows.
# Usage: bench/boosting.sh [ROWS [TURNS]]. Needs Debian's python3-sklearn.
set -euo pipefail
cd "$(dirname "$0")/.."
export BOOST_ROWS="${1:-1000000}" OMP_NUM_THREADS=1 OMP_WAIT_POLICY=passive
go test -c -o /tmp/boost-bench ./core/boost
for _ in $(seq "${2:-3}"); do
  /tmp/boost-bench -test.run xxx -test.bench 'Fit$' -test.benchtime 1x | awk '/^BenchmarkFit/ {for (i = 3; i < NF; i += 2) printf "%s %s  ", $i, $(i + 1); print " ours"}'
  /usr/bin/python3 - <<'PYTHON'
import os, time
import numpy as np
from sklearn.ensemble import HistGradientBoostingRegressor

rows, more, p = int(os.environ["BOOST_ROWS"]), 100_000, 30


def draws(n):
    """The same numbers as in core/boost/bench_test.go, by doubling."""
    a, c = np.uint32(1664525), np.uint32(1013904223)
    x = np.array([a * np.uint32(12345) + c], dtype=np.uint32)
    with np.errstate(over="ignore"):
        while len(x) < n:
            x = np.concatenate([x, a * x + c])
            a, c = a * a, c * (a + np.uint32(1))
    return (x[:n] >> 8).astype(np.float32) / np.float32(1 << 24)


with np.errstate(over="ignore"):
    d = draws((rows + more) * (p + 3)).reshape(rows + more, p + 3)
X = d[:, :p]
y = sum((k + 1) * X[:, k] for k in range(5)) + sum(4 * X[:, k] ** 2 for k in range(5, 8))
y = y + np.where(X[:, 9] > 0.5, 2 * X[:, 0], 0) + d[:, p:].sum(1) - 1.5
m = HistGradientBoostingRegressor(max_iter=100, max_leaf_nodes=31, learning_rate=0.1, early_stopping=False)
begin = time.process_time()
m.fit(X[:rows], y[:rows])
cpu = time.process_time() - begin
error = np.sqrt(np.mean((m.predict(X[rows:]) - y[rows:]) ** 2))
print(f"{cpu * 1e9:.0f} ns/op  {error:.6f} error  {rows} rows   the yardstick")
PYTHON
done
