// Package weights carries the weights of the pretrained network in the binary.
package weights

import (
	"embed"
	"io/fs"
	"sync"

	"paperkettle/core/model/pretrained"
)

//go:embed *.safetensors
var files embed.FS

// Open reads the weights, once a process.
var Open = sync.OnceValues(func() (*pretrained.Weights, error) {
	names, err := fs.Glob(files, "*.safetensors") // in the order of their names
	if err != nil {
		return nil, err
	}
	var all [][]byte
	for _, name := range names {
		b, err := files.ReadFile(name)
		if err != nil {
			return nil, err
		}
		all = append(all, b)
	}
	return pretrained.ReadWeights(all...)
})
