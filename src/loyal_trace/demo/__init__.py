"""The made-up workshop: boards, ROM contents, hidden faults and jobs of the Gannet Point Pier Collection."""
