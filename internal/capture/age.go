package capture

import (
	"strconv"
	"strings"

	"zarvek/internal/lazyregexp"
)

// ages matches a word that says how long a device has known a route: 00:12:34, 3d04h, 3d07h12m, 1w2d, 12d:3h:4m:5s.
// Of "2w3d 04:05:06" the first word is enough.
var ages = lazyregexp.New(`^(?:(?:\d+[ywdhms]:?)+|(?:\d+[ywd])*\d{1,3}:\d{2}:\d{2})$`)

// units from the longest on, in words.
var units = []struct {
	sign byte
	word string
}{{'y', "year"}, {'w', "week"}, {'d', "day"}, {'h', "hour"}, {'m', "minute"}, {'s', "second"}}

// age words the first age on a line, its two largest units; "" where there is none.
func age(line string) string {
	for _, w := range strings.FieldsFunc(line,
		func(r rune) bool { return r == ' ' || r == '\t' || r == ',' || r == '(' || r == ')' }) {
		if ages.MatchString(w) {
			return ageWords(w)
		}
	}
	return ""
}

// amount matches one number of an age with the letter of its unit.
var amount = lazyregexp.New(`(\d+)([ywdhms])`)

// ageWords words an age as devices print it (1y2w, 3d04h, 00:12:31) by its two largest units; a month is m behind y, w
// or d, and minutes are m beside h or s.
func ageWords(s string) string {
	amounts := map[byte]int{}
	for _, m := range amount.FindAllStringSubmatch(s, -1) {
		amounts[m[2][0]], _ = strconv.Atoi(m[1])
	}
	if i := strings.LastIndexAny(s, "ywd"); !strings.HasSuffix(s, "s") && strings.Count(s[i+1:], ":") == 2 {
		for j, n := range strings.Split(s[i+1:], ":") {
			amounts["hms"[j]], _ = strconv.Atoi(n)
		}
	}
	var out []string
	for _, u := range units {
		if n := amounts[u.sign]; n > 0 && len(out) < 2 {
			w := strconv.Itoa(n) + " " + u.word
			if n != 1 {
				w += "s"
			}
			out = append(out, w)
		}
	}
	if len(out) == 0 {
		return "0 seconds"
	}
	return strings.Join(out, " ")
}
