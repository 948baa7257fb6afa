package record

// Ref names a record.
type Ref struct{ Kind, Number string }

// The states of a record. Masters are kept; documents are kept until they are posted. One that was merged into another is
// no longer among the saved records; it is shown as it was.
const (
	Kept     = "kept"
	Posted   = "posted"
	Reversed = "reversed"
	Merged   = "merged"
)

// Record is a saved record.
type Record struct {
	Ref
	Company, Type, State string
	// Version counts the changes, from 1.
	Version int
	Content
	// Late tells that a linked record changed, and that a live value is still to be taken anew.
	Late bool
	// Preceding names the record that this one follows; it may be empty.
	Preceding Ref
	// Reverses and ReversedBy are the numbers of the documents of the same kind that this one
	// takes back, and that takes this one back; may be "".
	Reverses, ReversedBy string
	// Former are the numbers of the records that were merged into this one: they lead to it.
	Former  []string
	Changed Stamp
}

// Standing tells whether the record was not taken back and takes nothing back.
func (r *Record) Standing() bool { return r.State != Reversed && r.Reverses == "" }

// Stamp says who changed something, and when.
type Stamp struct {
	At string // RFC 3339, of one length so that the later sorts after; "": not known
	// By is what the person was called then, Person names them for good, and Via is from where
	// they asked.
	By, Person, Via string
}

// Version is a record as it was at one time.
type Version struct {
	Version int
	What    string // "saved", "posted", "reversed", "follow-up", "live", "deleted", "merged", "taken back"
	Type    string
	Content Content
	Changed Stamp
}
