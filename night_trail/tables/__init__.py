"""Tables: bringing a file, its versions and columns, the survey.

Other applications use ``services``; models and views stay in here.
"""
