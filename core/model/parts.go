package model

// Parts is a trained model in writing, in pieces, so that what is told of one series of
// thousands can be read without the others.
type Parts interface {
	// Len is the number of series.
	Len() int
	// Shared is what the series have in common.
	Shared() ([]byte, error)
	// Part is what the i-th series has of its own.
	Part(i int) ([]byte, error)
}

// Written is a model's parts in memory.
type Written struct {
	Common []byte
	Own    [][]byte
}

// Write gathers all parts of a model.
func Write(p Parts) (*Written, error) {
	common, err := p.Shared()
	if err != nil {
		return nil, err
	}
	w := &Written{common, make([][]byte, p.Len())}
	for i := range w.Own {
		if w.Own[i], err = p.Part(i); err != nil {
			return nil, err
		}
	}
	return w, nil
}

// Size is about how many bytes a model takes in writing: a few of its series stand for all.
func Size(p Parts) int64 {
	const asked = 2
	common, err := p.Shared()
	if err != nil || p.Len() == 0 {
		return 0
	}
	sum := 0
	for k := range min(asked, p.Len()) {
		own, err := p.Part(k * p.Len() / asked)
		if err != nil {
			return 0
		}
		sum += len(own)
	}
	return int64(len(common) + sum*p.Len()/min(asked, p.Len()))
}

// Len is the number of series.
func (w *Written) Len() int { return len(w.Own) }

// Shared is what they have in common.
func (w *Written) Shared() ([]byte, error) { return w.Common, nil }

// Part is what the i-th has of its own.
func (w *Written) Part(i int) ([]byte, error) { return w.Own[i], nil }
