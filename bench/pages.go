package main

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/chromedp/chromedp"

	"paperkettle/api"
)

// How often each page is opened, every time by a browser that keeps nothing of the service.
const visits = 5

// look is how long a page is looked at before the next is opened.
const look = 3 * time.Second

// firstScreen is the time since the navigation began, in milliseconds, once the first screen has its words
// and figures (a title, and nothing on it that is still being read), once its charts are there as sketches too, and
// once they are drawn; before, it is -1.
const firstScreen = `(() => {
	const high = e => e.getBoundingClientRect().top < innerHeight;
	const words = document.querySelector("h1") &&
		![...document.querySelectorAll("p")].some(e => /^Reading .*…$/.test(e.innerText) && high(e));
	const charts = [...document.querySelectorAll("[data-drawn]")].filter(high);
	const isDrawn = e => e.dataset.drawn === "true" && e.querySelector("canvas");
	const sketched = charts.every(e => isDrawn(e) || e.parentElement.querySelector("[data-sketch]"));
	const now = Math.round(performance.now());
	return [words, words && sketched, words && charts.every(isDrawn)].map(there => there ? now : -1);
})()`

// pages measures how long the first screen of each page of the demo takes, while a bake-off runs on all cores.
func pages(binary string) error {
	p, err := start(binary, "demo")
	if err != nil {
		return err
	}
	defer p.close()
	b, err := p.StartBakeoff(ctx, api.Plan{Dataset: "daily", Horizon: 28, Windows: 12,
		Contenders: []api.Contender{{Family: "naive"}, {Family: "automatic"}, {Family: "arima"}}}, "")
	if err != nil {
		return err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.DisableGPU, chromedp.Flag("headless", "new"),
		chromedp.WindowSize(1280, 800))
	root, stop := chromedp.NewExecAllocator(ctx, options...)
	defer stop()
	root, stop = chromedp.NewContext(root)
	defer stop()
	if err := chromedp.Do(root); err != nil {
		return err
	}
	for _, path := range []string{"/", "/data", "/data/daily", "/bakeoffs", "/bakeoffs/bake-1", "/bakeoffs/new?dataset=daily", "/releases",
		"/releases/rel-1", "/scenarios", "/flags"} {
		var times [3][]int
		for range visits {
			time.Sleep(look) // pages are looked at
			reached, err := visit(root, p.address+path)
			if err != nil {
				return fmt.Errorf("%s: %w", path, err)
			}
			for k, t := range reached {
				times[k] = append(times[k], t)
			}
		}
		fmt.Printf("pages: %s", path)
		for k, what := range []string{"words", "charts sketched", "charts drawn"} {
			slices.Sort(times[k])
			fmt.Printf(", %s after %d ms (%d at most)", what, times[k][visits/2], times[k][visits-1])
		}
		fmt.Printf("; medians of %d first visits\n", visits)
	}
	if now, err := p.Bakeoff(ctx, b.ID); err != nil || now.Job.State != "running" {
		return errors.Join(err, errors.New("the bake-off in the background ended early: the pages were read beside no work"))
	}
	return nil
}

// visit opens an address as a browser does that has never been there: milliseconds to what firstScreen waits for.
func visit(root context.Context, address string) (reached [3]int, err error) {
	tab, stop := chromedp.NewContext(root, chromedp.WithNewBrowserContext())
	defer stop()
	tab, end := context.WithTimeout(tab, time.Minute)
	defer end()
	if err := chromedp.Do(tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(address)); err != nil {
		return reached, err
	}
	for reached = [3]int{-1, -1, -1}; ; time.Sleep(40 * time.Millisecond) { // asking costs the page time too
		now, err := chromedp.Run(tab, chromedp.Evaluate[[]int](firstScreen))
		if err != nil {
			return reached, err
		}
		for k, t := range now {
			if reached[k] < 0 {
				reached[k] = t
			}
		}
		if reached[2] >= 0 {
			return reached, nil
		}
	}
}
