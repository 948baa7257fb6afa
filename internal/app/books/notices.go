package books

// What these use cases tell a person when something is not as it should be.
var ()
