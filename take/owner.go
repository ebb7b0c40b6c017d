package take

import "runtime"

// ownerOnlyUnknown: the modes of files say nothing of who may read them.
const ownerOnlyUnknown = runtime.GOOS == "windows"
