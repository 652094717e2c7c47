package route

// A Mark is a range of bytes in one capture: the evidence behind a fact.
// Size: 12 bytes. The zero Mark is no evidence.
//
// The bytes are those of the capture as taken; only a UTF-16 capture is counted in its UTF-8 form. Line numbers are
// found when somebody asks, by the room that owns the bytes.
type Mark struct {
	File     uint32 // 1 + index of the capture in the case
	Off, End uint32
}

// Known reports whether m points anywhere.
func (m Mark) Known() bool { return m.File != 0 }
