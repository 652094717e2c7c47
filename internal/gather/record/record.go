// Package record is what is kept of a gathering beside the captures: what a device was asked and when. It exists apart
// from what gathers so that a case can be read without it. No I/O.
package record

import "time"

// A Gathered is what was asked of one device. It stands in provenance.json, with its captures.
type Gathered struct {
	Way      string    `json:"way"`
	From     string    `json:"from"` // WAY://USER@HOST:PORT
	Family   string    `json:"family"`
	Start    time.Time `json:"started"`
	End      time.Time `json:"ended"`
	Commands []Command `json:"commands"`
	Moved    []Move    `json:"moved,omitempty"`
	NoRoutes bool      `json:"no-routes-read,omitempty"` // nothing that was answered reads as routes
	Scrubbed int       `json:"secrets-made-unreadable,omitempty"`
}

// A Command is one question that was asked, and when.
type Command struct {
	Command string    `json:"command"`
	Purpose string    `json:"purpose"`
	Start   time.Time `json:"started"`
	End     time.Time `json:"ended"`
	Bytes   int       `json:"bytes"`
	Refused string    `json:"refused,omitempty"` // what the device said against it
	Else    bool      `json:"else,omitempty"`    // asked since the one before was refused
}

// A Move is a table that changed while its device was read: a second answer to one command had other routes than the
// first.
type Move struct {
	Command string    `json:"command"`
	First   time.Time `json:"first"`
	Second  time.Time `json:"second"`
	Gone    int       `json:"routes-gone"`
	Come    int       `json:"routes-come"`
}
