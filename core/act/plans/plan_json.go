package plans

import (
	"bytes"
	"fmt"
	"io"
	"runtime"
	"sync"

	"frankledger/core/exact"
)

// WriteJSON writes a plan as a JSON document, a step a line. ReadPlan reads it.
func (p *Plan) WriteJSON(to io.Writer) error {
	head := *p
	head.Steps = []*Step{}
	if _, err := to.Write(bytes.TrimSuffix(exact.Append(nil, &head), []byte("]}"))); err != nil {
		return err
	}
	const share = 4096 // steps a core formats at a time
	cores := runtime.GOMAXPROCS(0)
	rooms := make([][]byte, cores)
	for from := 0; from < len(p.Steps); from += cores * share {
		var group sync.WaitGroup
		for core := range cores {
			first := min(from+core*share, len(p.Steps))
			steps := p.Steps[first:min(first+share, len(p.Steps))]
			group.Go(func() {
				room := rooms[core][:0]
				for i, step := range steps {
					if first+i > 0 {
						room = append(room, ',')
					}
					room = exact.Append(append(room, '\n'), step)
				}
				rooms[core] = room
			})
		}
		group.Wait()
		for _, room := range rooms {
			if _, err := to.Write(room); err != nil {
				return err
			}
		}
	}
	_, err := to.Write([]byte("\n]}\n"))
	return err
}

// ReadPlan reads a plan that was kept.
func ReadPlan(content []byte) (*Plan, error) {
	plan := &Plan{}
	if err := exact.Unmarshal(content, plan); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrPlan, err)
	}
	return plan, nil
}
