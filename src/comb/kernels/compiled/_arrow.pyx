# cython: language_level=3, boundscheck=False, wraparound=False, initializedcheck=False
"""Compiled: the structures of Arrow's C data interface, filled and read. No value is touched here.

The interface hands a table from one library to another within a process, as a stream of record batches: C structures
with pointers to buffers, each with a callback by which the receiver lets go of it. A Python capsule carries the stream.

`stream_capsule` takes a description in plain Python, a *field* and an *array* for each column:

    field = (format, name, metadata or None, flags, (child fields...), dictionary field or None)
    array = (length, missing, offset, (buffers...), (child arrays...), dictionary array or None)

A buffer is anything with the buffer protocol, or None; it is kept, not copied, until the receiver lets it go.
`read_stream` gives the same back, but for buffers: of those only the address is known, as the interface does not say
how long they are. Who knows the type asks `view` for so many bytes; the view keeps the batch alive.

Ownership is the whole difficulty. What is exported owns Python objects: its callback takes the interpreter's lock and
drops them. A structure that was moved has no callback any more, and is not let go twice. What is imported is moved into
an object of its own, `_Batch`, whose end calls the callback of whoever made it.
"""

from cpython.buffer cimport PyBUF_SIMPLE, PyBuffer_FillInfo, PyObject_GetBuffer
from libc.stdlib cimport calloc, free
from cpython.pycapsule cimport PyCapsule_GetPointer, PyCapsule_IsValid, PyCapsule_New
from cpython.ref cimport Py_DECREF, Py_INCREF, PyObject
from libc.stdint cimport int64_t, uintptr_t
from libc.string cimport memcpy, strlen

include "_version.pxi"

cdef struct ArrowSchema:
    const char* format
    const char* name
    const char* metadata
    int64_t flags
    int64_t n_children
    ArrowSchema** children
    ArrowSchema* dictionary
    void (*release)(ArrowSchema*) noexcept
    void* private_data

cdef struct ArrowArray:
    int64_t length
    int64_t null_count
    int64_t offset
    int64_t n_buffers
    int64_t n_children
    const void** buffers
    ArrowArray** children
    ArrowArray* dictionary
    void (*release)(ArrowArray*) noexcept
    void* private_data

cdef struct ArrowArrayStream:
    int (*get_schema)(ArrowArrayStream*, ArrowSchema*) noexcept
    int (*get_next)(ArrowArrayStream*, ArrowArray*) noexcept
    const char* (*get_last_error)(ArrowArrayStream*) noexcept
    void (*release)(ArrowArrayStream*) noexcept
    void* private_data

cdef const char* STREAM = "arrow_array_stream"
cdef const char* SCHEMA = "arrow_schema"
cdef int NO_MEMORY = 12


cdef void _release_schema(ArrowSchema* schema) noexcept with gil:
    cdef int64_t at
    if schema.release == NULL:
        return
    for at in range(schema.n_children):
        if schema.children[at].release != NULL:
            schema.children[at].release(schema.children[at])
        free(schema.children[at])
    free(schema.children)
    if schema.dictionary != NULL:
        if schema.dictionary.release != NULL:
            schema.dictionary.release(schema.dictionary)
        free(schema.dictionary)
    schema.release = NULL
    if schema.private_data != NULL:
        Py_DECREF(<object>schema.private_data)
        schema.private_data = NULL


cdef void _release_array(ArrowArray* array) noexcept with gil:
    cdef int64_t at
    if array.release == NULL:
        return
    for at in range(array.n_children):
        if array.children[at].release != NULL:
            array.children[at].release(array.children[at])
        free(array.children[at])
    free(array.children)
    free(array.buffers)
    if array.dictionary != NULL:
        if array.dictionary.release != NULL:
            array.dictionary.release(array.dictionary)
        free(array.dictionary)
    array.release = NULL
    if array.private_data != NULL:
        Py_DECREF(<object>array.private_data)
        array.private_data = NULL


cdef int _fill_schema(ArrowSchema* schema, tuple field) except -1:
    """Fill a structure that is all zeros; what was filled when an error came is let go by `_release_schema`."""
    cdef bytes form = field[0], name = field[1], metadata
    cdef tuple children = field[4]
    cdef int64_t at
    held = [form, name, field[2]]
    Py_INCREF(held)
    schema.private_data = <void*>held
    schema.release = _release_schema
    schema.format = form
    schema.name = name
    if field[2] is not None:
        metadata = field[2]
        schema.metadata = metadata
    schema.flags = field[3]
    schema.children = <ArrowSchema**>calloc(max(1, len(children)), sizeof(ArrowSchema*))
    if schema.children == NULL:
        raise MemoryError
    for at in range(len(children)):
        schema.children[at] = <ArrowSchema*>calloc(1, sizeof(ArrowSchema))
        if schema.children[at] == NULL:
            raise MemoryError
        schema.n_children = at + 1
        _fill_schema(schema.children[at], children[at])
    if field[5] is not None:
        schema.dictionary = <ArrowSchema*>calloc(1, sizeof(ArrowSchema))
        if schema.dictionary == NULL:
            raise MemoryError
        _fill_schema(schema.dictionary, field[5])
    return 0


cdef int _fill_array(ArrowArray* array, tuple parts) except -1:
    cdef tuple buffers = parts[3], children = parts[4]
    cdef int64_t at
    cdef const unsigned char[::1] data
    held = []
    Py_INCREF(held)
    array.private_data = <void*>held
    array.release = _release_array
    array.length, array.null_count, array.offset = parts[0], parts[1], parts[2]
    array.buffers = <const void**>calloc(max(1, len(buffers)), sizeof(void*))
    array.children = <ArrowArray**>calloc(max(1, len(children)), sizeof(ArrowArray*))
    if array.buffers == NULL or array.children == NULL:
        raise MemoryError
    for at in range(len(buffers)):
        array.n_buffers = at + 1
        if buffers[at] is not None:
            data = buffers[at]
            held.append(data)
            # An empty buffer has an address too: receivers may ask for one.
            array.buffers[at] = <const void*>&data[0] if data.shape[0] else <const void*>STREAM
    for at in range(len(children)):
        array.children[at] = <ArrowArray*>calloc(1, sizeof(ArrowArray))
        if array.children[at] == NULL:
            raise MemoryError
        array.n_children = at + 1
        _fill_array(array.children[at], children[at])
    if parts[5] is not None:
        array.dictionary = <ArrowArray*>calloc(1, sizeof(ArrowArray))
        if array.dictionary == NULL:
            raise MemoryError
        _fill_array(array.dictionary, parts[5])
    return 0


cdef class _Stream:
    """What an exported stream holds: the field of the whole, its batches, and how many were given."""

    cdef tuple field
    cdef list batches
    cdef int64_t given
    cdef bytes error

    def __cinit__(self, tuple field, list batches):
        self.field, self.batches, self.given, self.error = field, batches, 0, b""


cdef int _get_schema(ArrowArrayStream* stream, ArrowSchema* out) noexcept with gil:
    cdef _Stream own = <_Stream>stream.private_data
    memcpy(out, &_NO_SCHEMA, sizeof(ArrowSchema))
    try:
        _fill_schema(out, own.field)
    except BaseException as error:
        own.error = str(error).encode()
        _release_schema(out)
        return NO_MEMORY
    return 0


cdef int _get_next(ArrowArrayStream* stream, ArrowArray* out) noexcept with gil:
    cdef _Stream own = <_Stream>stream.private_data
    memcpy(out, &_NO_ARRAY, sizeof(ArrowArray))
    if own.given >= len(own.batches):
        return 0
    try:
        _fill_array(out, own.batches[own.given])
        own.given += 1
    except BaseException as error:
        own.error = str(error).encode()
        _release_array(out)
        return NO_MEMORY
    return 0


cdef const char* _get_last_error(ArrowArrayStream* stream) noexcept with gil:
    cdef _Stream own = <_Stream>stream.private_data
    if own.error:
        return <const char*>own.error
    return NULL


cdef void _release_stream(ArrowArrayStream* stream) noexcept with gil:
    if stream.release == NULL:
        return
    stream.release = NULL
    Py_DECREF(<object>stream.private_data)
    stream.private_data = NULL


cdef ArrowSchema _NO_SCHEMA
cdef ArrowArray _NO_ARRAY


cdef void _drop_stream(object capsule) noexcept:
    cdef ArrowArrayStream* stream = <ArrowArrayStream*>PyCapsule_GetPointer(capsule, STREAM)
    if stream.release != NULL:
        stream.release(stream)
    free(stream)


cdef void _drop_schema(object capsule) noexcept:
    cdef ArrowSchema* schema = <ArrowSchema*>PyCapsule_GetPointer(capsule, SCHEMA)
    if schema.release != NULL:
        schema.release(schema)
    free(schema)


def stream_capsule(tuple field, list batches, /):
    """Return a capsule with a stream of batches; see the head of the module for what describes them."""
    cdef ArrowArrayStream* stream = <ArrowArrayStream*>calloc(1, sizeof(ArrowArrayStream))
    if stream == NULL:
        raise MemoryError
    own = _Stream(field, batches)
    Py_INCREF(own)
    stream.private_data = <void*>own
    stream.get_schema = _get_schema
    stream.get_next = _get_next
    stream.get_last_error = _get_last_error
    stream.release = _release_stream
    return PyCapsule_New(stream, STREAM, _drop_stream)


def schema_capsule(tuple field, /):
    """Return a capsule with the field of a table."""
    cdef ArrowSchema* schema = <ArrowSchema*>calloc(1, sizeof(ArrowSchema))
    if schema == NULL:
        raise MemoryError
    try:
        _fill_schema(schema, field)
    except BaseException:
        _release_schema(schema)
        free(schema)
        raise
    return PyCapsule_New(schema, SCHEMA, _drop_schema)


cdef class _Batch:
    """An imported batch: it is let go when nothing refers to it any more."""

    cdef ArrowArray array

    def __dealloc__(self):
        if self.array.release != NULL:
            self.array.release(&self.array)


cdef class _View:
    """So many bytes at an address, which a batch owns."""

    cdef _Batch batch
    cdef void* address
    cdef Py_ssize_t size

    def __getbuffer__(self, Py_buffer* buffer, int flags):
        PyBuffer_FillInfo(buffer, self, self.address, self.size, 1, flags)


def view(batch, uintptr_t address, Py_ssize_t size, /):
    """Return so many bytes at an address of a batch; they may be read as long as the view is there."""
    cdef _View found = _View()
    found.batch = batch
    found.address = <void*>address
    found.size = size
    return found


cdef bytes _metadata(const char* data):
    """Return the bytes of metadata, whose length follows from what is in them: counts and lengths of 32 bits."""
    cdef int count, size, at, pair
    cdef int64_t place = 4
    if data == NULL:
        return None
    memcpy(&count, data, 4)
    for pair in range(2 * count):
        memcpy(&size, data + place, 4)
        place += 4 + size
    return data[:place]


cdef tuple _field(ArrowSchema* schema):
    cdef int64_t at
    children = tuple([_field(schema.children[at]) for at in range(schema.n_children)])
    dictionary = _field(schema.dictionary) if schema.dictionary != NULL else None
    name = <bytes>schema.name if schema.name != NULL else b""
    return <bytes>schema.format, name, _metadata(schema.metadata), schema.flags, children, dictionary


cdef tuple _parts(ArrowArray* array):
    cdef int64_t at
    buffers = tuple([<uintptr_t>array.buffers[at] for at in range(array.n_buffers)])
    children = tuple([_parts(array.children[at]) for at in range(array.n_children)])
    dictionary = _parts(array.dictionary) if array.dictionary != NULL else None
    return array.length, array.null_count, array.offset, buffers, children, dictionary


def read_schema(capsule, /):
    """Read the field in a capsule, which stays whole.

    Raises
    ------
    ValueError
        If it holds no schema, or one that was let go.
    """
    if not PyCapsule_IsValid(capsule, SCHEMA):
        raise ValueError("the capsule holds no schema of Arrow data")
    cdef ArrowSchema* schema = <ArrowSchema*>PyCapsule_GetPointer(capsule, SCHEMA)
    if schema.release == NULL:
        raise ValueError("the schema was let go before")
    return _field(schema)


def read_stream(capsule, /):
    """Read a stream to its end.

    Returns
    -------
    field, list of (batch, array)
        Of buffers the address; `view` makes something of it.

    Raises
    ------
    ValueError
        If the capsule holds no stream, or whoever made it reports an error.
    """
    cdef ArrowArrayStream* stream
    cdef ArrowSchema schema
    cdef _Batch batch
    cdef const char* said
    if not PyCapsule_IsValid(capsule, STREAM):
        raise ValueError("the capsule holds no stream of Arrow data")
    stream = <ArrowArrayStream*>PyCapsule_GetPointer(capsule, STREAM)
    if stream.release == NULL:
        raise ValueError("the stream was read before")
    memcpy(&schema, &_NO_SCHEMA, sizeof(ArrowSchema))
    try:
        if stream.get_schema(stream, &schema):
            raise ValueError(_said(stream))
        try:
            field = _field(&schema)
        finally:
            if schema.release != NULL:
                schema.release(&schema)
        batches = []
        while True:
            batch = _Batch()
            if stream.get_next(stream, &batch.array):
                raise ValueError(_said(stream))
            if batch.array.release == NULL:
                break
            batches.append((batch, _parts(&batch.array)))
    finally:
        stream.release(stream)
    return field, batches


cdef str _said(ArrowArrayStream* stream):
    cdef const char* said = stream.get_last_error(stream)
    return said[:strlen(said)].decode("utf-8", "replace") if said != NULL else "no reason was given"
