package boost

// Branches are a regression tree as arrays of nodes; the first is the root. A node with Left 0 is a
// leaf.
type Branches struct {
	Column []int32   `json:"column"`
	Cut    []float32 `json:"cut"` // numbers up to it go left
	// Sets are the codes that go left at a node that splits a category, by Set of the node from 1.
	Set     []int32     `json:"set,omitempty"`
	Sets    [][4]uint64 `json:"sets,omitempty"`
	Unknown []bool      `json:"unknown"` // goes left
	Left    []int32     `json:"left"`
	Right   []int32     `json:"right"`
	Cover   []float32   `json:"cover"` // weight of the rows that it was grown on
	Gain    []float32   `json:"gain"`
	Value   []float32   `json:"value"` // of every node, outputs one after another
}

func (t *Branches) add(outputs int) int32 {
	n := int32(len(t.Column))
	t.Column, t.Cut, t.Set, t.Unknown = append(t.Column, 0), append(t.Cut, 0), append(t.Set, 0), append(t.Unknown, false)
	t.Left, t.Right, t.Cover, t.Gain = append(t.Left, 0), append(t.Right, 0), append(t.Cover, 0), append(t.Gain, 0)
	t.Value = append(t.Value, make([]float32, outputs)...)
	return n
}

// next is the node below one that a row goes to.
func (t *Branches) next(n int32, x []float32) int32 {
	v := x[t.Column[n]]
	left := t.Unknown[n]
	if set := t.Set[n]; set > 0 {
		if c := int(v); v == v && c >= 0 && c < unknownBin {
			left = t.Sets[set-1][c>>6]>>(c&63)&1 == 1
		}
	} else if v == v {
		left = v <= t.Cut[n]
	}
	if left {
		return t.Left[n]
	}
	return t.Right[n]
}
