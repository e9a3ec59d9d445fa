package neural

import (
	"context"
	"encoding/csv"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"
	"fmt"

	"paperkettle/core/calendar"
	"paperkettle/core/model"
	"paperkettle/core/num"
	"paperkettle/core/panel"
)

func TestDbg(t *testing.T) {
	f, _ := os.Open("/tmp/emp.csv")
	rows, _ := csv.NewReader(f).ReadAll()
	m := map[string][]float64{}
	var order []string
	for _, r := range rows[1:] {
		k := r[1] + r[2] + r[3] + r[4]
		if m[k] == nil {
			order = append(order, k)
		}
		x, _ := strconv.ParseFloat(r[5], 64)
		m[k] = append(m[k], x)
	}
	p := &panel.Panel{Cadence: calendar.Cadence{Unit: calendar.Month}, First: 432, Length: 120}
	var all []int
	for i, k := range order {
		p.Series = append(p.Series, panel.Series{Key: k, Values: m[k]})
		all = append(all, i)
	}
	mod, _, _ := Families().New("perceptron", nil)
	v := panel.NewView(p, all, 0, 107)
	tr, err := mod.Train(context.Background(), v, model.Env{Horizon: 12, Workers: 2, Random: func(s string) *rand.Rand { return num.Stream(1, s) }})
	if err != nil {
		t.Fatal(err)
	}
	g := tr.(*Trained).Groups[0]
	{
		l := g.Layout
		list, _, _ := l.sequences(context.Background(), v, 0, 2, nil)
		cut, whole, held := l.hold(list, 107)
		w := windowsOf(&l, list, cut)
		ln := l.lean(list, cut, w)
		fmt.Println(ln)
		n := newNetwork(g.Shape, rand.New(rand.NewPCG(1, 1)))
		n.lean(ln)
		k := &task{lay: &l, list: list, cut: cut, whole: whole, net: n}
		for a := range anchors {
			for b := range anchors { ln.mix[b] = -30 }
			ln.mix[a] = 0
			n.lean(ln)
			loss, _ := k.held(context.Background(), 2, held, nil)
			fmt.Println(anchorNames[a], loss, len(held), held[:8])
		}
	}
	fmt.Println(g.Steps, g.Losses, g.Curves, g.Helds, g.Widening, g.Ties, g.Windows, g.Failed)
	res, _ := tr.Forecast(context.Background(), v, 12)
	for i := range all {
		for _, h := range []int{0, 5, 11} {
			q := res.Series[i].At(h)
			fmt.Printf("%7.0f [%7.0f %7.0f %7.0f] %7.0f | ", m[order[i]][107], q[6], q[12], q[18], m[order[i]][108+h])
		}
		fmt.Println(res.Err[i])
	}
	l := g.Layout
	{
		list, _, _ := l.sequences(context.Background(), v, 12, 2, nil)
		qs := g.run(make([]*tape, 2), list, []window{{0, 108}}, 12)
		fmt.Println(qs[0].Row(0), qs[1].Row(0), qs[0].Row(11))
	}
	list, _, _ := l.sequences(context.Background(), v, 12, 2, nil)
	for _, n := range []int{60, 108} {
		pt, _ := l.at(list[0], n)
		row := make([]float32, anchors+lags)
		l.place(pt, 3, row)
		fmt.Println(pt.level, pt.unit, list[0].season, row, list[0].z[n-14:n])
	}
}
