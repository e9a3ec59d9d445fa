package catalogue_test

import (
	"os"
	"strings"
	"testing"

	"paperkettle/core/model"
)

func TestDev(t *testing.T) {
	for _, pr := range processes() {
		for _, spec := range strings.Fields(os.Getenv("DEV")) {
			family, rest, _ := strings.Cut(spec, ":")
			v := model.Values{}
			for _, kv := range strings.Split(rest, ";") {
				if k, x, ok := strings.Cut(kv, "="); ok {
					v[k] = x
				}
			}
			if pr.name == "AR(2) weekly" && strings.Contains(spec, "form=") {
				continue
			}
			r := recover(t, family, v, pr, 300)
			t.Logf("%-28s %-20s RMSE %.3f of the oracle's, coverage %.1f and %.1f %%", pr.name, spec, r.ratio, 100*r.cover80, 100*r.cover95)
		}
	}
}
