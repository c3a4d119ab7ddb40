// Package didyoumean finds the name that was probably meant.
package didyoumean

import (
	"strings"
	"unicode/utf8"
)

// Nearest is the name most like word, or "" when none is near enough to be
// what was meant. Distance is Levenshtein's, with a swap of neighbours as one
// step; at most a third of the word may differ.
func Nearest(word string, names []string) string {
	best, limit := "", len(word)/3+1
	for _, name := range names {
		if d := distance(strings.ToLower(word), strings.ToLower(name)); d <= limit && (best == "" || d < limit) {
			best, limit = name, d
		}
	}
	return best
}

// Sure is the one name that a word can only have been meant to be; "" when two names are as
// near, or none is near enough: one letter in words of up to five, two in longer ones. Small
// and capital letters are the same.
func Sure(word string, names []string) string {
	near, least := "", 3
	if utf8.RuneCountInString(word) <= 5 {
		least = 2
	}
	for _, name := range names {
		switch d := distance(strings.ToLower(word), strings.ToLower(name)); {
		case d < least:
			near, least = name, d
		case d == least && near != "" && name != near:
			near = "" // another one as near: neither, unless a nearer one follows
		}
	}
	return near
}

func distance(a, b string) int {
	prev2, prev, cur := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range prev {
		prev[j] = j
	}
	for i := 1; i <= len(a); i++ {
		cur[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			cur[j] = min(prev[j]+1, cur[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cur[j] = min(cur[j], prev2[j-2]+1)
			}
		}
		prev2, prev, cur = prev, cur, prev2
	}
	return prev[len(b)]
}

// ByOneEdit is a name that differs from word by one letter added, dropped or
// changed, or by two neighbours swapped; "" when there is none.
func ByOneEdit(word string, names []string) string {
	for _, n := range names {
		if d := len(n) - len(word); d > 1 || d < -1 || n == word {
			continue
		}
		i := 0
		for i < len(n) && i < len(word) && n[i] == word[i] {
			i++
		}
		a, b := n[i:], word[i:]
		switch {
		case len(a) > 0 && a[1:] == b, len(b) > 0 && b[1:] == a,
			len(a) > 0 && len(b) > 0 && a[1:] == b[1:],
			len(a) > 1 && len(b) > 1 && a[0] == b[1] && a[1] == b[0] && a[2:] == b[2:]:
			return n
		}
	}
	return ""
}
