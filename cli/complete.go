package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"frankledger/core/condition"
)

type completion = func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective)

// complete tells the shell what can follow an option.
func complete(cmd *cobra.Command, option string, c completion) {
	if err := cmd.RegisterFlagCompletionFunc(option, c); err != nil {
		panic(err) // the option is not there: a slip in the program
	}
}

// oneOf completes one of the words.
func oneOf(words []string) completion {
	return func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		return words, cobra.ShellCompDirectiveNoFileComp
	}
}

// listOf completes the last of several words separated by commas, by those
// that are not there yet.
func listOf(words []string) completion {
	return func(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		before := typed[:strings.LastIndexByte(typed, ',')+1]
		var all []string
		for _, word := range words {
			if !strings.Contains(","+before, ","+word+",") {
				all = append(all, before+word)
			}
		}
		return all, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
	}
}

// completeWhere completes places before the word where, and after it the words
// that a condition can go on with.
func completeWhere(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	_, words, has := splitWhere(args)
	if !has {
		return []string{whereWord}, cobra.ShellCompDirectiveDefault
	}
	return condition.Next(words), cobra.ShellCompDirectiveNoFileComp
}
