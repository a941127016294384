// Empty does nothing: what any Go program costs to start.
package main

func main() {}
