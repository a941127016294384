package condition

import (
	"fmt"
	"math/big"
	"strings"
)

// sizeUnits are the units of IEC 80000-13.
var sizeUnits = map[string]int64{
	"B": 1, "kB": 1e3, "MB": 1e6, "GB": 1e9, "TB": 1e12, "PB": 1e15, "EB": 1e18,
	"KiB": 1 << 10, "MiB": 1 << 20, "GiB": 1 << 30, "TiB": 1 << 40, "PiB": 1 << 50, "EiB": 1 << 60,
}

// sizeUnit finds a unit in any case.
func sizeUnit(text string) (int64, bool) {
	if strings.EqualFold(text, "byte") || strings.EqualFold(text, "bytes") {
		return 1, true
	}
	for name, size := range sizeUnits {
		if strings.EqualFold(name, text) {
			return size, true
		}
	}
	return 0, false
}

func isSizeUnit(text string) bool {
	_, is := sizeUnit(text)
	return is || len(text) == 1 && strings.ContainsAny(text, "kKmMgGtT")
}

// ParseBytes reads a number of bytes as conditions have it, such as 10MB.
func ParseBytes(text string) (int64, error) {
	n, _, err := parseBytes(plainNumber(text))
	return n, err
}

// parseBytes reads a number of bytes with its unit, rounded to whole bytes. Without one it
// is of bytes. A single letter stands for a unit of IEC 80000-13 by 1024, as sizes are
// shown: then it also returns the size with its full unit.
func parseBytes(text string) (n int64, full string, err error) {
	end := len(text)
	for end > 0 && !('0' <= text[end-1] && text[end-1] <= '9' || text[end-1] == '.') {
		end--
	}
	number, unit := text[:end], text[end:]
	amount, ok := new(big.Rat).SetString(number)
	if !ok || !isNumber(number) {
		return 0, "", fmt.Errorf("this should be a size, such as 500kB, 10MB or 2GiB, not %s", text)
	}
	scale, known := sizeUnit(unit)
	switch {
	case unit == "":
		scale = 1
	case len(unit) == 1 && !known && strings.ContainsAny(unit, "kKmMgGtT"):
		unit = strings.ToUpper(unit) + "iB"
		scale, _ = sizeUnit(unit)
		full = number + unit
	case !known:
		return 0, "", fmt.Errorf("there is no unit %s; units are B, kB, MB, GB, TB (by 1000) and KiB, MiB, GiB, TiB (by 1024)", unit)
	}
	amount.Mul(amount, new(big.Rat).SetInt64(scale)).Add(amount, big.NewRat(1, 2))
	whole := new(big.Int).Quo(amount.Num(), amount.Denom())
	if !whole.IsInt64() {
		return 0, "", fmt.Errorf("%s is more than any file can hold", text)
	}
	return whole.Int64(), full, nil
}
