// Package plans is what a plan is: an action, its options, and steps, each about one entry. A plan can be kept as
// JSON, and is checked when it is read again.
package plans
