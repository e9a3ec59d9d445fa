package panel

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"hash"
	"math"
)

// Fingerprint is a hash of all that the view shows: what is trained on views with the same
// fingerprint, in the same way, is the same.
func (v View) Fingerprint() string {
	h := &hasher{Hash: sha256.New()}
	h.facts(v.p.Cadence, v.Ordinal(v.from), v.origin-v.from, v.Attributes(), v.Drivers(), v.reach, v.fillings, v.p.Events, v.p.Floor, v.p.HasClosed())
	if v.p.believed {
		h.facts("believed")
	}
	drivers := len(v.Drivers())
	for i := range v.Len() {
		s := v.Series(i)
		h.facts(s.Key, s.Labels, s.First-v.from)
		h.floats(s.Values)
		ahead := len(s.Values) + v.reach
		for d := range drivers {
			h.floats(s.Driver(d, ahead))
		}
		if v.p.HasClosed() {
			for t := range ahead {
				h.bit(s.Closed(s.First + t))
			}
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// hasher takes values in.
type hasher struct {
	hash.Hash
	room []byte
}

// facts takes in what can be written as JSON: small things.
func (h *hasher) facts(list ...any) {
	b, err := json.Marshal(list)
	if err != nil {
		panic(err) // none of what is given can fail
	}
	h.Write(b)
}

func (h *hasher) floats(x []float64) {
	h.room = binary.LittleEndian.AppendUint64(h.room[:0], uint64(len(x)))
	for _, v := range x {
		h.room = binary.LittleEndian.AppendUint64(h.room, math.Float64bits(v))
	}
	h.Write(h.room)
}

func (h *hasher) bit(is bool) {
	b := byte(0)
	if is {
		b = 1
	}
	h.Write([]byte{b})
}
