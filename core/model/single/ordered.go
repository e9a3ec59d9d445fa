package single

// ordered are known values in ascending order.
type ordered []float64

// insert puts one more value in.
func (o ordered) insert(v float64) ordered {
	o = append(o, v)
	o.settle(len(o)-1, v)
	return o
}

// replace puts a value in the place of one that is there.
func (o ordered) replace(old, v float64) {
	i := 0
	for o[i] < old {
		i++
	}
	for i+1 < len(o) && o[i+1] < v {
		o[i] = o[i+1]
		i++
	}
	o.settle(i, v)
}

// settle puts a value down at a free place, or as far below as it belongs.
func (o ordered) settle(i int, v float64) {
	for i > 0 && o[i-1] > v {
		o[i] = o[i-1]
		i--
	}
	o[i] = v
}

// median is the middle one, or the mean of the two.
func (o ordered) median() float64 { return (o[(len(o)-1)/2] + o[len(o)/2]) / 2 }
