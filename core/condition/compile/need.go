package compile

import (
	"math"
	"strings"

	"frankledger/core/condition"
	"frankledger/core/entry"
	"frankledger/core/source"
	"frankledger/core/text"
)

// Need implements source.Needing. What counts how many entries each step lets through has
// to ask about all.
func (p *Program) Need() source.Need {
	if p.steps != nil {
		return nil
	}
	return p.root.need()
}

func (p *part) need() source.Need {
	switch p.kind {
	case leaf:
		return p.needed
	case allOf:
		var all source.AllNeeds
		for _, inner := range p.parts {
			if need := inner.need(); need != nil {
				all = append(all, need)
			}
		}
		if len(all) > 0 {
			return all
		}
	case anyOf:
		some := source.AnyNeed{}
		for _, inner := range p.parts {
			need := inner.need()
			if need == nil {
				return nil
			}
			some = append(some, need)
		}
		return some
	}
	return nil
}

// oneOfNeeds is needed where any of several things will do.
func oneOfNeeds[T any](list []T, need func(T) source.Need) source.Need {
	some := source.AnyNeed{}
	for _, one := range list {
		n := need(one)
		if n == nil {
			return nil
		}
		some = append(some, n)
	}
	return some
}

// nameNeed is what a test of names needs. A name that a word is in has the word in it also
// where both are without capitals and accents.
func nameNeed(t *condition.Test, words []string) source.Need {
	const edge = string(source.NameEdge)
	stem := t.Field.Summed == entry.SummedStem // which ends before the name does
	end := edge
	if stem {
		end = ""
	}
	if t.Field.Summed != entry.SummedName && !stem {
		if t.Field.Summed == entry.SummedExt && t.Op == condition.Is {
			return oneOfNeeds(words, func(word string) source.Need { return source.NeedExt(plainFold(word)) })
		}
		return nil
	}
	return oneOfNeeds(words, func(word string) source.Need {
		switch plain := plainFold(word); t.Op {
		case condition.Is:
			return source.NeedPiece(edge + plain + end)
		case condition.Has:
			return source.NeedPiece(plain)
		case condition.Starts:
			return source.NeedPiece(edge + plain)
		case condition.Ends:
			return source.NeedPiece(plain + end)
		case condition.Like:
			return likeNeed(word, stem)
		}
		return nil
	})
}

func plainFold(word string) string {
	return string(text.Plain(text.Fold([]byte(word), false)))
}

// likeNeed is what a pattern with wildcards needs: the pieces between these.
func likeNeed(pattern string, stem bool) source.Need {
	if strings.ContainsAny(pattern, `{}[]\`) || !text.IsASCII([]byte(pattern)) {
		return nil // what is in these is one thing or another
	}
	pieces := strings.FieldsFunc(string(source.NameEdge)+pattern+string(source.NameEdge), func(r rune) bool { return r == '*' || r == '?' })
	var all source.AllNeeds
	for _, piece := range pieces {
		if stem {
			piece = strings.TrimSuffix(piece, string(source.NameEdge))
		}
		if piece = plainFold(piece); piece != "" {
			all = append(all, source.NeedPiece(piece))
		}
	}
	if len(all) == 0 {
		return nil
	}
	return all
}

// patternNeed is what a regular expression needs: text that all it matches has. It is of
// ASCII, but what it matches need not be where case is aside: the Kelvin sign is a k.
func patternNeed(f *entry.Field, p *pattern) source.Need {
	if f.Summed != entry.SummedName && f.Summed != entry.SummedStem || len(p.has) == 0 {
		return nil
	}
	return source.NeedPiece(plainFold(string(p.has)))
}

// measured are the fields that a source may keep the bounds of.
var measured = map[entry.Summed]source.Measured{
	entry.SummedSize: source.Size, entry.SummedDisk: source.Disk, entry.SummedModified: source.Modified, entry.SummedChanged: source.Changed,
	entry.SummedAccessed: source.Accessed, entry.SummedCreated: source.Created,
}

// numberNeed is what a test of numbers needs.
func numberNeed(f *entry.Field, b bounds, possible bool) source.Need {
	of, has := measured[f.Summed]
	switch {
	case !possible:
		return nil
	case has && f.Type == entry.Bytes:
		return source.NeedNumber{Of: of, Least: int64(b.least ^ 1<<63), Greatest: int64(b.greatest ^ 1<<63)} // as Field.Rank has them
	case b.least != b.greatest || b.least > math.MaxUint32:
		return nil
	case f.Summed == entry.SummedUID:
		return source.NeedUID(b.least)
	case f.Summed == entry.SummedGID:
		return source.NeedGID(b.least)
	}
	return nil
}

// momentNeed is what a test of moments needs.
func momentNeed(f *entry.Field, p period) source.Need {
	of, has := measured[f.Summed]
	if !has {
		return nil
	}
	need := source.NeedNumber{Of: of, Least: math.MinInt64, Greatest: math.MaxInt64}
	if p.hasFrom {
		need.Least = p.from.Sec
	}
	if p.hasTo {
		need.Greatest = p.to.Sec
	}
	return need
}

// accountNeed is what a test of owners or groups needs.
func accountNeed(roster entry.Roster, ids []uint32, unknown bool) source.Need {
	if unknown {
		return nil
	}
	return oneOfNeeds(ids, func(id uint32) source.Need {
		if roster == entry.Groups {
			return source.NeedGID(id)
		}
		return source.NeedUID(id)
	})
}

// kindNeed is what a choice of kinds needs.
func kindNeed(words []string) source.Need {
	return oneOfNeeds(words, func(word string) source.Need {
		kind, known := entry.KindNamed(word)
		if !known {
			return nil
		}
		return source.NeedKind(kind)
	})
}
