package num

// Thin is the k-th place to take where one of every few is looked at, both from 0 on: some place of the k-th run of so
// many, by chance, but always the same one. Places that lie evenly apart fall in step with what recurs (every seventh
// day is a Monday, every tenth series the same good), and then know nothing of the rest.
//
// Source of the chance: Steele, Lea and Flood, Fast splittable pseudorandom number generators, OOPSLA 2014.
func Thin(k, every int) int { return k*every + chance(k, every) }

// chance is one of so many, always the same for the same k.
func chance(k, of int) int {
	z := uint64(k) * 0x9e3779b97f4a7c15
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return int((z ^ z>>31) % uint64(of))
}

// Some are so many of n places, or all where they are no more: rising, one from each of as many runs, out of step with
// what recurs.
func Some(n, most int) []int {
	out := make([]int, min(n, most))
	for k := range out {
		from, to := k*n/len(out), (k+1)*n/len(out)
		out[k] = from + chance(k, to-from)
	}
	return out
}

// Budget is how many of many series are looked at: as many as have so many values, within bounds.
type Budget struct{ Values, Least, Most int }

// Of are the series looked at of n that have so many values together.
func (b Budget) Of(n, values int) []int {
	each := max(1, values/max(1, n))
	return Some(n, max(b.Least, min(b.Most, b.Values/each)))
}
