package picture

// OnMaps are how strongly colours lie below text on a map, one upon the other; Strongest is how
// the first does on squares.
func OnMaps() (list []float64) {
	through := 1.0
	for _, s := range shades {
		through *= 1 - s
		list = append(list, 1-through)
	}
	return list
}

const Strongest = strongest
