// Package calls asks the system about folders and entries, relative to open folders, as fast as it
// answers: records of a folder, statuses, extended attributes, flags, mounts. It hides what differs
// between systems.
package calls
