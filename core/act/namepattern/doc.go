// Package namepattern makes new names of entries by a pattern with words such as @stem and @date.
package namepattern
