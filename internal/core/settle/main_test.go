package settle

import "flag"

// runs is how many random networks the model makes for each kind.
var runs = flag.Int("runs", 300, "random networks for each kind")
