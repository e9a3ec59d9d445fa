package net

// Linear is a product and an offset.
type Linear struct{ W, B Weight }

// Linear adds the weights of a layer; gain is as Matrix has it.
func (s *Store[T]) Linear(name string, in, out int, gain float64) Linear {
	return Linear{s.Matrix(name, in, out, gain), s.Vector(name+" offset", out, 0)}
}

// Linear is the layer's product and offset.
func (t *Tape[T]) Linear(x *Value[T], l Linear) *Value[T] {
	return t.Dense(x, t.Weight(l.W), t.Weight(l.B))
}

// Residual is a block that adds to what it is given.
//
// Source: He and others, Identity mappings in deep residual networks, ECCV 2016.
type Residual struct {
	Gain, Shift Weight
	In, Out     Linear
}

// Residual adds the weights of a block.
func (s *Store[T]) Residual(name string, units int) Residual {
	return Residual{s.Vector(name+" gain", units, 1), s.Vector(name+" norm", units, 0), s.Linear(name+" in", units, units, 2),
		s.Linear(name+" out", units, units, 0.1)}
}

// Residual is what the block makes of x, with a share of its units left out.
func (t *Tape[T]) Residual(x *Value[T], r Residual, drop float64) *Value[T] {
	y := t.Norm(x, t.Weight(r.Gain), t.Weight(r.Shift))
	return t.Add(x, t.Linear(t.Drop(t.Smooth(t.Linear(y, r.In)), drop), r.Out))
}
