package service

import (
	"fmt"
	"html"
	"regexp"
	"strings"

	"paperkettle/api"
)

// openings say what the console's pages ask for first, so that a browser fetches it while it still reads the
// console's code, and not after.
type openings struct {
	painter string // the code that paints charts
}

// opening is a page with a chart on its first screen, and what it reads at once. %s is the last part of its
// path, spelled as it came.
type opening struct {
	path   *regexp.Regexp
	reads  []string
	charts bool // whose code is fetched too: where a chart's values are there before it is
}

// Parts of paths are taken over as they are: what would need care in HTML is no such part.
var pagesWithCharts = []opening{
	{regexp.MustCompile(`^/data/([A-Za-z0-9._~%-]+)$`), []string{"/datasets/%s"}, true},
	{regexp.MustCompile(`^/releases/([A-Za-z0-9._~%-]+)$`), []string{"/releases/%s", "/releases/%s/curve",
		"/releases/%s/curve?fit=true&brief=true&history=1"}, true},
	{regexp.MustCompile(`^/(flags)$`), []string{"/flags?state=open&limit=1000"}, false},
}

func newOpenings(files map[string]asset) (o openings) {
	for name := range files {
		if strings.HasPrefix(name, "/assets/painter-") && strings.HasSuffix(name, ".js") {
			o.painter = name
		}
	}
	return o
}

// page is the console's page for an address, with links to what it will ask for.
func (o openings) page(index asset, address string) asset {
	for _, p := range pagesWithCharts {
		if m := p.path.FindStringSubmatch(address); m != nil && o.painter != "" {
			return newAsset("index.html", []byte(strings.Replace(string(index.plain), "</head>", o.links(p, m[1])+"</head>", 1)))
		}
	}
	return index
}

func (o openings) links(p opening, part string) string {
	var b strings.Builder
	for _, r := range p.reads {
		address := api.Prefix + strings.ReplaceAll(r, "%s", part)
		fmt.Fprintf(&b, `<link rel="preload" as="fetch" crossorigin href="%s">`, html.EscapeString(address))
	}
	if p.charts {
		fmt.Fprintf(&b, `<link rel="modulepreload" crossorigin href="%s">`, o.painter)
	}
	return b.String()
}
