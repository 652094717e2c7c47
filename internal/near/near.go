// Package near finds the name that somebody meant: a command, a device or an interface that was written wrongly is an
// error, and the error says what is there instead.
package near

import "strings"

// Name returns the name with the fewest letters to change, "" where none is near.
func Name(name string, names []string) string {
	best, bestCost := "", 1+max(1, (len(name)+1)/3)
	for _, n := range names {
		if c := distance(strings.ToLower(name), strings.ToLower(n)); c < bestCost {
			best, bestCost = n, c
		}
	}
	return best
}

// distance is the number of letters to insert, delete, change or swap with the next one.
func distance(a, b string) int {
	d := make([][]int, len(a)+1)
	for i := range d {
		d[i] = make([]int, len(b)+1)
		d[i][0] = i
	}
	for j := range d[0] {
		d[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			change := 1
			if a[i-1] == b[j-1] {
				change = 0
			}
			d[i][j] = min(d[i-1][j]+1, d[i][j-1]+1, d[i-1][j-1]+change)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d[i][j] = min(d[i][j], d[i-2][j-2]+1)
			}
		}
	}
	return d[len(a)][len(b)]
}
