// Package trash finds the trash directory for an entry, and reserves names in it, as the Trash specification of
// freedesktop.org has it.
package trash
