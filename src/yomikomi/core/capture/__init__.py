"""Recording a source to a file that survives: queues, the recorder, its health, and mending after a crash."""
