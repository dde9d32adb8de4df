"""Claims: checkable statements that a finding rests on.

``claim`` holds what can be claimed, ``check`` says whether it holds, how surely and on how few
rows it rests, ``words`` says a claim and reads it, ``propose`` makes one of a picture.
"""
