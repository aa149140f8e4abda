"""Open, index, read any frame, write. The only folder that knows PyAV."""
