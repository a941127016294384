package text

import "strings"

// Nearest returns the candidate most like the word, or ""
// when none is near. Two words are near when few letters have to be added,
// dropped, changed or swapped to make one from the other (the optimal string
// alignment distance), or when one starts with the other.
func Nearest(word string, candidates []string) string {
	word = strings.ToLower(word)
	best, bestDistance := "", max(1, len([]rune(word))/3)+1
	for _, candidate := range candidates {
		d := distance([]rune(word), []rune(strings.ToLower(candidate)))
		if d < bestDistance {
			best, bestDistance = candidate, d
		}
	}
	if best == "" && len(word) >= 2 {
		for _, candidate := range candidates {
			if strings.HasPrefix(strings.ToLower(candidate), word) {
				return candidate
			}
		}
	}
	return best
}

func distance(a, b []rune) int {
	before, row := make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		next := make([]int, len(b)+1)
		next[0] = i
		for j := 1; j <= len(b); j++ {
			change := row[j-1]
			if a[i-1] != b[j-1] {
				change++
			}
			next[j] = min(row[j]+1, next[j-1]+1, change)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				next[j] = min(next[j], before[j-2]+1)
			}
		}
		before, row = row, next
	}
	return row[len(b)]
}
