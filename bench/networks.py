"""The yardsticks of bench/networks.sh: a training step of an LSTM, and matrix products."""
import sys, time

what = sys.argv[1]
if what == "lstm":
    import torch
    torch.set_num_threads(int(sys.argv[2]))
    torch.manual_seed(1)
    net = torch.nn.LSTM(8, 64, batch_first=False)
    head = torch.nn.Linear(64, 1)
    move = torch.optim.AdamW(list(net.parameters()) + list(head.parameters()), lr=1e-3)
    x, y = torch.randn(48, 128, 8), torch.randn(48, 128, 1)
    def step():
        move.zero_grad()
        ((head(net(x)[0]) - y) ** 2).mean().backward()
        move.step()
    for _ in range(5):
        step()
    began, n = time.time(), 0
    while time.time() - began < 3:
        step()
        n += 1
    print((time.time() - began) / n)
else:
    import numpy as np
    for n, k, p in [(32, 64, 256), (128, 64, 256), (64, 6144, 256), (256, 256, 256), (1024, 1024, 1024)]:
        a, b = np.random.randn(n, k).astype("f4"), np.random.randn(k, p).astype("f4")
        out = np.empty((n, p), "f4")
        began, count = time.time(), 0
        while time.time() - began < 0.4:
            np.dot(a, b, out=out)
            count += 1
        print(f"{n}x{k}x{p}", 2 * n * k * p * count / (time.time() - began) / 1e9)
