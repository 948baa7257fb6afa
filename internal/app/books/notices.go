package books

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var notABook = notice.Define("not-a-book", "{why}")
