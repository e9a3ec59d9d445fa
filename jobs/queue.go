package jobs

import (
	"context"
	"errors"

	"paperkettle/core/model"
)

// Order is a unit of work as data, so that it could cross a network: what is to be done, by
// names and hashes. Its results depend on nothing else.
type Order struct {
	Job   uint   `json:"job"`  // on whose behalf
	Kind  string `json:"kind"` // of work
	Ref   uint   `json:"ref"`  // the record that the work is about
	Task  string `json:"task"` // its identity within the work
	Basis string `json:"basis"`
	Cores int    `json:"cores"` // how many it can keep busy: 1, or AllCores
}

// AllCores is how many cores a task can use that trains on as many as are free.
const AllCores = -1

// Queue hands out orders. Each is taken under a lease by one worker at a time.
type Queue interface {
	// Put adds orders to the end.
	Put(orders ...Order) error
	// Take waits for an order, and for a core to do it on.
	Take(ctx context.Context) (Lease, error)
	// Withdraw takes back a job's orders, those at work too, and says how many no worker had.
	Withdraw(job uint) (untaken int)
}

// Lease is an order in a worker's hands. It ends with Done or Refuse.
type Lease interface {
	Order() Order
	// Context ends when the order is withdrawn.
	Context() context.Context
	// Beat says that the worker is still at it: how much is done, from 0 to 1, and what it is at.
	Beat(done float64, note string)
	// Show tells how losses went so far, of what is learnt for long.
	Show(curves []model.Curve)
	// Hand gives in a result; there may be several.
	Hand(result []byte) error
	// Done says that all results are given in.
	Done()
	// Refuse says why there are none.
	Refuse(reason error)
}

// Sink is where a queue brings what workers say of their orders. Its methods are called from
// many goroutines.
type Sink interface {
	Beat(o Order, done float64, note string)
	Show(o Order, curves []model.Curve)
	Result(o Order, result []byte) error
	Done(o Order)
	Refused(o Order, reason error)
}

// ErrWithdrawn says that an order is no longer wanted.
var ErrWithdrawn = errors.New("the order was withdrawn")

// ErrOtherBasis says that an order is of other data, another plan or another program than the
// worker has.
var ErrOtherBasis = errors.New("the order is of other data, another plan or another program than this worker's: start the job again")
