"""After the treatment: the skin's answer, the close, sheets, the next date, what is asked afterwards."""
