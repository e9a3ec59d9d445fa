package pretrained

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"paperkettle/core/num/net"
)

// Write writes the network's weights, with its shape and what else is to be known of it.
func (n *Network) Write(w io.Writer, p net.Precision, about map[string]string) error {
	shape, err := json.Marshal(n.Shape)
	if err != nil {
		return err
	}
	all := map[string]string{"shape": string(shape)}
	for k, v := range about {
		all[k] = v
	}
	return net.WriteWeights(w, n.weights, p, all)
}

// Weights are networks that were read, whose forecasts are averaged, and the hash of what they were
// read from.
type Weights struct {
	Networks []*Network
	Hash     string // SHA-256 of all files, one after another, in hexadecimal
	Bytes    int
	About    []map[string]string // of each
}

// ReadWeights reads what Write wrote, a file a network. What is cut short, altered, or laid out
// otherwise than this program lays networks out, is refused.
func ReadWeights(files ...[]byte) (*Weights, error) {
	out, sum := &Weights{}, sha256.New()
	for _, b := range files {
		n, about, err := readNetwork(b)
		if err != nil {
			return nil, fmt.Errorf("reading the weights of the pretrained network: %w", err)
		}
		out.Networks, out.About, out.Bytes = append(out.Networks, n), append(out.About, about), out.Bytes+len(b)
		sum.Write(b)
	}
	if len(files) == 0 {
		return nil, errors.New("reading the weights of the pretrained network: there are none")
	}
	out.Hash = hex.EncodeToString(sum.Sum(nil))
	return out, nil
}

func readNetwork(b []byte) (*Network, map[string]string, error) {
	about, err := net.ReadAbout(b)
	if err != nil {
		return nil, nil, err
	}
	var sh Shape
	if err := json.Unmarshal([]byte(about["shape"]), &sh); err != nil {
		return nil, nil, fmt.Errorf("its header has no shape: %w", err)
	}
	const most = 4096
	for _, size := range []int{sh.Units, sh.Blocks, sh.Told, sh.Decoder} {
		if size < 1 || size > most {
			return nil, nil, fmt.Errorf("a shape of %+v can't be", sh)
		}
	}
	n := New(sh, nil)
	_, err = net.ReadWeights(b, n.weights)
	return n, about, err
}
