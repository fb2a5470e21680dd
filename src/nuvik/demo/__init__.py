"""The demo household: a family with an amateur observatory in the garden, and one home computer. All invented."""
