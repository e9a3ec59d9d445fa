package model

import (
	"bytes"
	"encoding/gob"
	"errors"
	"fmt"
)

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

// Size is about how many bytes a model takes in writing: one of its series, in the middle, stands for all.
func Size(p Parts) int64 {
	common, err := p.Shared()
	if err != nil || p.Len() == 0 {
		return 0
	}
	own, err := p.Part(p.Len() / 2)
	if err != nil {
		return 0
	}
	return int64(len(common) + len(own)*p.Len())
}

// Len is the number of series.
func (w *Written) Len() int { return len(w.Own) }

// Shared is what they have in common.
func (w *Written) Shared() ([]byte, error) { return w.Common, nil }

// Part is what the i-th has of its own.
func (w *Written) Part(i int) ([]byte, error) { return w.Own[i], nil }

// Pieces is what a series has of its own in each of the models that a mix is made of.
type Pieces [][]byte

// Encode writes pieces, or what else a mix writes.
func Encode(v any) ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(v)
	return b.Bytes(), err
}

// DecodeShared reads into what Encode wrote of what the series share.
func DecodeShared(p Parts, into any) error {
	b, err := p.Shared()
	if err != nil {
		return err
	}
	return gob.NewDecoder(bytes.NewReader(b)).Decode(into)
}

// Nested is the parts of one model of a mix, among those of the mix.
type Nested struct {
	Of     Parts
	Piece  int    // of the series' Pieces
	Common []byte // what the model's series share
	Places []int  // of the model's series in the mix
}

// Len is the number of series.
func (n Nested) Len() int { return len(n.Places) }

// Shared is what they have in common.
func (n Nested) Shared() ([]byte, error) { return n.Common, nil }

// Part is what the j-th of the model's series has of its own.
func (n Nested) Part(j int) ([]byte, error) {
	b, err := n.Of.Part(n.Places[j])
	if err != nil {
		return nil, err
	}
	var own Pieces
	if err := gob.NewDecoder(bytes.NewReader(b)).Decode(&own); err != nil {
		return nil, fmt.Errorf("reading a mix: %w", err)
	}
	if n.Piece >= len(own) {
		return nil, errors.New("reading a mix: a series' part is damaged")
	}
	return own[n.Piece], nil
}
