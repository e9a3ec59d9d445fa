package model

import "time"

// Timer bounds the time of a training, which may have begun before a stop. The zero Timer bounds
// nothing.
type Timer struct {
	now                   func() time.Duration
	began, before, within time.Duration
}

// NewTimer starts one by an environment's clock, which may be nil; minutes of 0 bound nothing.
func NewTimer(now func() time.Duration, minutes float64, before time.Duration) Timer {
	if now == nil || minutes <= 0 {
		return Timer{}
	}
	return Timer{now, now(), before, time.Duration(minutes * float64(time.Minute))}
}

// Spent is the time since the start, and before the last stop.
func (t Timer) Spent() time.Duration {
	if t.now == nil {
		return 0
	}
	return t.before + t.now() - t.began
}

// Over says that the time is up.
func (t Timer) Over() bool { return t.now != nil && t.Spent() >= t.within }

// Part is the timer of what may take a share of the whole time, from the start.
func (t Timer) Part(share float64) Timer {
	t.within = time.Duration(float64(t.within) * share)
	return t
}
