"""What would mend a finding, and what that would give."""
