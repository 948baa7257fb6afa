package field

import (
	"regexp"
	"strconv"
	"strings"
)

// taxScheme is how a country writes its tax numbers. form and check take the
// number without its prefix.
type taxScheme struct {
	begins  string // the prefix, where it is not the country's code
	form    *regexp.Regexp
	example string
	check   func(number string) bool
}

func (s *taxScheme) prefix(country string) string {
	if s.begins != "" {
		return s.begins
	}
	return country
}

func schemeOf(number, country string) (string, *taxScheme) {
	for code, scheme := range taxSchemes {
		// A prefix of one letter could begin a number of another country.
		prefix := scheme.prefix(code)
		if rest, begins := strings.CutPrefix(number, prefix); begins && (len(prefix) > 1 || country == code || scheme.form.MatchString(rest)) {
			return code, scheme
		}
	}
	if len(number) >= 2 && isLetters(number[:2]) {
		return "", nil // the prefix of a country whose scheme is not known
	}
	return country, taxSchemes[country]
}

// taxSchemes are the published schemes of value added tax and company numbers.
var taxSchemes = map[string]*taxScheme{
	"AT": {begins: "ATU", form: regexp.MustCompile(`^\d{8}$`), example: "ATU12345675", check: func(n string) bool {
		sum := 4
		for i, d := range digits(n[:7]) {
			sum += d
			if i%2 == 1 {
				sum += d - d/5*9 // the digit sum of twice the digit, less the digit
			}
		}
		return digit(n, 7) == (10-sum%10)%10
	}},
	"CH": {begins: "CHE", form: regexp.MustCompile(`^\d{9}(MWST|TVA|IVA)?$`), example: "CHE123456788", check: func(n string) bool {
		check := 11 - weigh(n, 5, 4, 3, 2, 7, 6, 5, 4)%11
		return check != 10 && digit(n, 8) == check%11
	}},
	"DE": {form: regexp.MustCompile(`^[1-9]\d{8}$`), example: "DE136695976", check: func(n string) bool {
		product := 10
		for _, d := range digits(n[:8]) {
			sum := (d + product) % 10
			if sum == 0 {
				sum = 10
			}
			product = 2 * sum % 11
		}
		return digit(n, 8) == (11-product)%10
	}},
	"DK": {form: regexp.MustCompile(`^[1-9]\d{7}$`), example: "DK13585628", check: func(n string) bool {
		return weigh(n, 2, 7, 6, 5, 4, 3, 2, 1)%11 == 0
	}},
	"ES": {form: regexp.MustCompile(`^[A-Z0-9]\d{7}[A-Z0-9]$`), example: "ESA58818501", check: checkSpanish},
	"FR": {form: regexp.MustCompile(`^[0-9A-HJ-NP-Z]{2}\d{9}$`), example: "FR40303265045", check: func(n string) bool {
		company, _ := strconv.Atoi(n[2:])
		if key, err := strconv.Atoi(n[:2]); err == nil {
			return key == (12+3*(company%97))%97
		}
		// A key with a letter: its two characters are digits to a base of 24 or 34.
		const characters = "0123456789ABCDEFGHJKLMNPQRSTUVWXYZ"
		first, second := strings.IndexByte(characters, n[0]), strings.IndexByte(characters, n[1])
		key := first*34 + second - 100
		if first < 10 {
			key = first*24 + second - 10
		}
		return (company+1+key/11)%11 == key%11
	}},
	// Departments of the government have GD000 to GD499, health authorities HA500 to HA999.
	"GB": {form: regexp.MustCompile(`^(\d{9}|\d{12}|GD[0-4]\d\d|HA[5-9]\d\d)$`), example: "GB123456782", check: func(n string) bool {
		if len(n) == 5 {
			return true
		}
		last, _ := strconv.Atoi(n[7:9])
		sum := weigh(n, 8, 7, 6, 5, 4, 3, 2) + last
		return sum%97 == 0 || (sum+55)%97 == 0
	}},
	// Until 2013 the second character could be a letter, + or *; such numbers stay.
	"IE": {form: regexp.MustCompile(`^(\d{7}[A-W][A-IW]?|\d[A-Z+*]\d{5}[A-W])$`), example: "IE6433435F", check: func(n string) bool {
		if n[1] < '0' || n[1] > '9' {
			n = "0" + n[2:7] + n[:1] + n[7:]
		}
		sum := weigh(n, 8, 7, 6, 5, 4, 3, 2)
		if len(n) == 9 && n[8] != 'W' {
			sum += 9 * (int(n[8]-'A') + 1)
		}
		return n[7] == "WABCDEFGHIJKLMNOPQRSTUV"[sum%23]
	}},
	"JP": {begins: "T", form: regexp.MustCompile(`^[1-9]\d{12}$`), example: "T7000012050002", check: func(n string) bool {
		return digit(n, 0) == 9-weigh(n[1:], 2, 1, 2, 1, 2, 1, 2, 1, 2, 1, 2, 1)%9
	}},
	"NO": {form: regexp.MustCompile(`^\d{9}(MVA)?$`), example: "NO977074010MVA", check: func(n string) bool {
		check := 11 - weigh(n, 3, 2, 7, 6, 5, 4, 3, 2)%11
		return check != 10 && digit(n, 8) == check%11
	}},
	"PT": {form: regexp.MustCompile(`^[1-9]\d{8}$`), example: "PT501964843", check: func(n string) bool {
		check := 11 - weigh(n, 9, 8, 7, 6, 5, 4, 3, 2)%11
		if check > 9 {
			check = 0
		}
		return digit(n, 8) == check
	}},
	"SE": {form: regexp.MustCompile(`^\d{10}01$`), example: "SE556188840401", check: func(n string) bool {
		sum := 0
		for i, d := range digits(n[:10]) {
			if i%2 == 0 {
				d = d*2 - d/5*9
			}
			sum += d
		}
		return sum%10 == 0
	}},
}

// checkSpanish checks the three kinds of Spanish numbers: of persons, of
// foreigners (X, Y, Z) and of companies (any other letter).
func checkSpanish(n string) bool {
	first := n[0]
	if place := strings.IndexByte("XYZ", first); place >= 0 || (first >= '0' && first <= '9') {
		if place >= 0 {
			n = strconv.Itoa(place) + n[1:]
		}
		person, err := strconv.Atoi(n[:8])
		return err == nil && n[8] == "TRWAGMYFPDXBNJZSQVHLCKE"[person%23]
	}
	sum := 0
	for i, d := range digits(n[1:8]) {
		if i%2 == 0 {
			d = d*2 - d/5*9
		}
		sum += d
	}
	control := (10 - sum%10) % 10
	return n[8] == byte('0'+control) || n[8] == "JABCDEFGHI"[control]
}

func digits(text string) []int {
	list := make([]int, len(text))
	for i := range text {
		list[i] = digit(text, i)
	}
	return list
}

func digit(text string, at int) int { return int(text[at] - '0') }

// weigh sums the first digits, each times its weight.
func weigh(number string, weights ...int) int {
	sum := 0
	for i, weight := range weights {
		sum += digit(number, i) * weight
	}
	return sum
}
