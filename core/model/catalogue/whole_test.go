package catalogue_test

import (
	"bytes"
	"math/rand/v2"
	"sync"

	"paperkettle/core/model"
	"paperkettle/core/model/catalogue"
	"paperkettle/core/model/pretrained"
	"paperkettle/core/num/net"
)

// whole is all families. The pretrained network is a small one with weights as they are drawn, which
// mixes plain forecasts by how they did: what ships is tested where it lies.
var whole = sync.OnceValue(func() model.Catalogue {
	var b bytes.Buffer
	n := pretrained.New(pretrained.Shape{Units: 16, Blocks: 1, Told: 8, Decoder: 16}, rand.New(rand.NewPCG(1, 1)))
	if err := n.Write(&b, net.Half, nil); err != nil {
		panic(err)
	}
	w, err := pretrained.ReadWeights(b.Bytes())
	if err != nil {
		panic(err)
	}
	return catalogue.With(w)
})
