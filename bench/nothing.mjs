// The floor of a start: Node.js itself.
