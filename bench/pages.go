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
// and figures (a title, and nothing on it that is still being read) and once its charts are drawn too;
// before, it is -1.
const firstScreen = `(() => {
	const high = e => e.getBoundingClientRect().top < innerHeight;
	const words = document.querySelector("h1") &&
		![...document.querySelectorAll("p")].some(e => /^Reading .*…$/.test(e.innerText) && high(e));
	const drawn = [...document.querySelectorAll("[data-drawn]")].filter(high).every(e => e.dataset.drawn === "true" && e.querySelector("canvas"));
	const now = Math.round(performance.now());
	return [words ? now : -1, words && drawn ? now : -1];
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
		var words, drawn []int
		for range visits {
			time.Sleep(look) // pages are looked at
			w, d, err := visit(root, p.address+path)
			if err != nil {
				return fmt.Errorf("%s: %w", path, err)
			}
			words, drawn = append(words, w), append(drawn, d)
		}
		slices.Sort(words)
		slices.Sort(drawn)
		fmt.Printf("pages: %s words after %d ms, charts after %d ms (medians of %d first visits; %d and %d at most)\n", path,
			words[visits/2], drawn[visits/2], visits, words[visits-1], drawn[visits-1])
	}
	if now, err := p.Bakeoff(ctx, b.ID); err != nil || now.Job.State != "running" {
		return errors.Join(err, errors.New("the bake-off in the background ended early: the pages were read beside no work"))
	}
	return nil
}

// visit opens an address as a browser does that has never been there: milliseconds to the words of its
// first screen, and to its charts.
func visit(root context.Context, address string) (words, drawn int, err error) {
	tab, stop := chromedp.NewContext(root, chromedp.WithNewBrowserContext())
	defer stop()
	tab, end := context.WithTimeout(tab, time.Minute)
	defer end()
	if err := chromedp.Do(tab, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(address)); err != nil {
		return 0, 0, err
	}
	for words = -1; ; time.Sleep(40 * time.Millisecond) { // asking costs the page time too
		now, err := chromedp.Run(tab, chromedp.Evaluate[[]int](firstScreen))
		if err != nil {
			return 0, 0, err
		}
		if words < 0 {
			words = now[0]
		}
		if now[1] >= 0 {
			return words, now[1], nil
		}
	}
}
