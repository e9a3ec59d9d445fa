// Command shot takes a picture of a page once it has come to rest: what is written on it has
// stayed the same for a second.
package main

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"time"

	"github.com/chromedp/chromedp"
)

func main() {
	if len(os.Args) < 4 {
		fmt.Fprintln(os.Stderr, "usage: shot FILE ADDRESS HEIGHT [night]")
		os.Exit(2)
	}
	if err := take(os.Args[1], os.Args[2], os.Args[3], len(os.Args) > 4); err != nil {
		fmt.Fprintln(os.Stderr, "shot:", err)
		os.Exit(1)
	}
}

func take(file, address, height string, night bool) error {
	tall, err := strconv.ParseInt(height, 10, 64)
	if err != nil {
		return err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.NoSandbox, chromedp.DisableGPU, chromedp.Flag("headless", "new"),
		chromedp.Flag("hide-scrollbars", true))
	ctx, stop := chromedp.NewExecAllocator(context.Background(), options...)
	defer stop()
	ctx, stop = chromedp.NewContext(ctx)
	defer stop()
	ctx, stop = context.WithTimeout(ctx, 90*time.Second)
	defer stop()
	err = chromedp.Do(ctx, chromedp.EmulateViewport(1280, tall), chromedp.Navigate(address))
	if err == nil && night {
		if _, err = chromedp.Run(ctx, chromedp.Evaluate[bool](`localStorage.setItem("paperkettle-theme", "night"), true`)); err == nil {
			err = chromedp.Do(ctx, chromedp.Navigate(address))
		}
	}
	if err == nil {
		err = rest(ctx)
	}
	if err != nil {
		return err
	}
	picture, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, picture, 0o644)
}

// rest waits until there is a page that is read, and its words stay the same.
func rest(ctx context.Context) error {
	last, since := "", time.Now()
	for last == "" || time.Since(since) < time.Second {
		now, err := chromedp.Run(ctx, chromedp.Evaluate[string](`document.querySelector("h1") && !/Reading [^\n]* …/.test(document.body.innerText) ? document.body.innerText : ""`))
		if err != nil {
			return err
		}
		if now != last {
			last, since = now, time.Now()
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
	return nil
}
