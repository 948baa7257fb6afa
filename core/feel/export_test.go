package feel

// Spent makes the frame one whose evaluations have taken so many steps before.
func (f *Frame) Spent(steps int) { f.spent = steps }
