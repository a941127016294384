// Package act does something with files that were found.
//
// What is to be done is a plan first: steps, each about one entry, that can be looked at, kept, edited, and then
// carried out. [MakePlan] plans for entries, and [PlanRequest] for what a condition finds. [CarryOut] does what a
// plan says and writes a journal meanwhile, from which [Undo] undoes it. These three go through the steps, and know
// no verb.
//
// Nothing is ever overwritten, no link is followed unless that was asked for, and a step whose entry is no
// longer what the plan says is not done.
//
// The packages below it, from the ground up: openat keeps folders open, so that no path is walked twice; plans
// and journals are what is kept; tree surveys, compares and removes what a folder holds; trash finds the trash
// directory of an entry; copying copies; doing has what a verb is given to plan, do and undo a step, and says
// what a verb is; verbs has one verb a file.
package act
